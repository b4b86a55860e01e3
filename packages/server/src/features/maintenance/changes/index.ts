export { changeWindow, endWindow, reviewWindow } from './change'
export { actOnOccurrence } from './occurrence'
export { openWindow } from './open'
