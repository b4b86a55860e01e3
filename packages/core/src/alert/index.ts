export {
  settle,
  type AlertAction,
  type Dismissal,
  type HeldRecord,
  type Remediation,
  type OpenAlert,
  type PostStanding,
  type Situation,
} from './settle'
