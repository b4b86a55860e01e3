export { mailFates, requestEvents, type MailFate, type RequestEvent } from './codes'
export { mailKind, sameAddress, type MailKind, type MailSigns } from './mailKind'
export { requestStory, type RequestPast } from './requestStory'
export { whoWrote, type KnownAddress, type KnownDomain } from './whoWrote'
