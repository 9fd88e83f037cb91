// For programs that use editions where there are no files: in a browser, in a service. All of it works without Node.
export { type ApprovalRule, type Approvers, readApprovers } from './approvers.js'
export { type Channels, channelsText, type ChannelTarget, faultOfChannels, readChannels, type SignedChannels } from './channels.js'
export { type Edition, type EditionFile, editionName, editionText, readEdition } from './edition.js'
export {
  contentOf,
  type EditionContent,
  type EditionOptions,
  faultOfWording,
  filesOf,
  libraryOf,
  makeEdition,
  type NewEdition,
} from './edition-library.js'
export { CHANNEL_NAME, meansEdition, readReference, type Reference, type Snapshot } from './reference.js'
export { digestOf, isSignedBy, type PublicKey, type Purpose, readPublicKey, signedBytes } from './signed.js'
export { type JudgedStatement, refusalOf, type Standing, standingOf, type Subject } from './standing.js'
export { tagsOf } from './tags.js'
export { readStatement, type SignedStatement, type Statement, type StatedAction, statementText } from './statement.js'
