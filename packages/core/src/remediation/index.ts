export {
  actionsFor,
  answerWithin,
  longestRemediation,
  remediationStep,
  responseOf,
  attemptsCountFor,
  type RemediationStep,
  type Response,
  type Trouble,
  type Attempt,
} from './remediation'
