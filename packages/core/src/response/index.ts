export {
  actionsFor,
  answerWithin,
  longestMending,
  mendingStep,
  responseOf,
  triesCountFor,
  type MendingStep,
  type Response,
  type Trouble,
  type Try,
} from './mending'
