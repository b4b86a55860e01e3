/** Rises with every agent that is handed out (semver.org). */
export const agentVersion = '0.16.0'

/**
 * Once it has run this version, an agent goes back to none before this one: raised when the versions before have a
 * hole.
 */
export const releaseFloor = '0.4.0'
