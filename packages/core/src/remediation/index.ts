export {
  actionsFor,
  answerWithin,
  longestRemediation,
  remediationStep,
  responseOf,
  triesCountFor,
  type RemediationStep,
  type Response,
  type Trouble,
  type Try,
} from './remediation'
