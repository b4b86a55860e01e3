export { standingAt, stillToSay, type AlertStanding } from './leaving'
export { calloutConcerns, type AlertAbout, type MailAbout } from './concerns'
export { calloutSteps, planCallout, type CalloutPlan, type CalloutStep, type CalloutStepKind } from './plan'
export {
  alertCauses,
  calloutSubjects,
  mostReminders,
  outsideHours,
  usualCallout,
  type AlertCause,
  type CalloutRule,
  type CalloutSubject,
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
