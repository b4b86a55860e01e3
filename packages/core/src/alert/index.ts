export {
  settle,
  type AlertAction,
  type Dismissal,
  type HeldRecord,
  type Mending,
  type OpenAlert,
  type PostStanding,
  type Situation,
} from './settle'
