/** WS-Management over TLS, “wsmans” in IANA's registry. Beside its client, which is loaded only where it is used. */
export const wsmanPort = 5986
