export * from './rules'
export * from './teams'
export * from './ways'
