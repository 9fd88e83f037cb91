// For the command. It may change with any version.
export { Service } from './service/service.js'
export { THIS_MACHINE } from './create-service.js'
export { ownerNamed } from './callers/caller.js'
export { readCallersFile } from './callers/callers-file.js'
export { newCallerId, newToken } from './callers/token.js'
