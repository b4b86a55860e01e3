import { request as plainRequest, type IncomingMessage } from 'node:http'
import { request as tlsRequest } from 'node:https'
import type { ConnectionOptions } from 'node:tls'

/**
 * Asks for a page, and follows nowhere.
 * @param address what is connected to, whatever the name in the URL leads to
 * @param options of the connection by TLS, if it is one: whom it trusts, and by which name
 * @returns the answer, once its head is there; whoever does not read it to its end destroys it
 * @throws Error of node:http or node:tls; AbortError
 */
export function getPage(
  url: URL,
  address: string,
  stop: AbortSignal,
  options: Pick<ConnectionOptions, 'servername' | 'secureContext' | 'rejectUnauthorized'>,
): Promise<IncomingMessage> {
  const isSecure = url.protocol === 'https:'
  return new Promise((resolve, reject) => {
    ;(isSecure ? tlsRequest : plainRequest)(
      {
        host: address,
        port: url.port || (isSecure ? 443 : 80),
        path: `${url.pathname}${url.search}`,
        method: 'GET',
        agent: false,
        signal: stop,
        headers: { host: url.host, accept: '*/*', 'accept-encoding': 'identity', 'user-agent': 'custode-agent' },
        ...options,
      },
      resolve,
    )
      .on('error', reject)
      .end()
  })
}
