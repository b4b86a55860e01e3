export { actionsFor, answerWithin, mendingStep, responseOf, triesCountFor, type MendingStep, type Response, type Try } from './mending'
