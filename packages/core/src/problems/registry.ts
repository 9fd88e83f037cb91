import { askingCodes } from './asking-codes.js'
import { assemblyCodes } from './assembly-codes.js'
import { auditCodes } from './audit-codes.js'
import { editionCodes } from './edition-codes.js'
import { fileCodes } from './file-codes.js'
import { outputCodes } from './output-codes.js'
import { replyCodes } from './reply-codes.js'
import { serviceCodes } from './service-codes.js'
import { textCodes } from './text-codes.js'
import { tableCodes, valueCodes } from './value-codes.js'

/** Every problem that there is. Types, messages and the reference page derive from here. */
export const registry = {
  ...textCodes,
  ...fileCodes,
  ...outputCodes,
  ...valueCodes,
  ...replyCodes,
  ...tableCodes,
  ...askingCodes,
  ...assemblyCodes,
  ...editionCodes,
  ...auditCodes,
  ...serviceCodes,
}
