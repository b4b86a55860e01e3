export { standingAt, stillToSay, type AlertStanding } from './leaving'
export { calloutConcerns, type AlertAbout } from './concerns'
export { calloutSteps, planCallout, type CalloutPlan, type CalloutStep, type CalloutStepKind } from './plan'
export {
  alertCauses,
  mostReminders,
  outsideHours,
  usualCallout,
  type AlertCause,
  type CalloutRule,
  type OutsideHours,
  type Recipient,
} from './rule'
export {
  calloutSentence,
  causeWords,
  familyWords,
  recipientText,
  recipientsText,
  type CalloutNames,
} from './ruleSentence'
export { quietReasons, type AlertStory, type Quiet, type QuietReason, type StoryEvent } from './story'
