import { fileCodes } from './file-codes.js'
import { textCodes } from './text-codes.js'
import { tableCodes, valueCodes } from './value-codes.js'

/** Every problem that there is. Types, messages and the reference page derive from here. */
export const registry = { ...textCodes, ...fileCodes, ...valueCodes, ...tableCodes }
