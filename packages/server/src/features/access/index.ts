export { audit } from './audit'
export { accessRoutes, addPerson } from './routes'
export { digest, makeSecret } from './secret'
export { mayChangeAll, needClient, viewerOf, type Viewer } from './viewer'
