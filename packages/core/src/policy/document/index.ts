export type { References } from './form'
export { fromDocument, type FromDocument } from './read'
export type { DocumentFault, Path } from './reader'
export { toDocument } from './write'
