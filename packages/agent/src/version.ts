/** Rises with every agent that is handed out (semver.org). */
export const agentVersion = '0.3.0'
