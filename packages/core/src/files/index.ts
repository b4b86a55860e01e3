export {
  fileAskName,
  fitsPart,
  isPattern,
  partsOf,
  pathFault,
  type FileAsk,
  type FileTold,
  type FilesSeen,
} from './ask'
