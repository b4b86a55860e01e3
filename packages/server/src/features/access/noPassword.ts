/** Instead of the digest of a password: no password fits it. */
export const noPassword = 'none'
