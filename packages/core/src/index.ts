// One call
export { libraryFrom, type Library, type LibraryOptions } from './library/library.js'
// Staged
export type { FinishedTurn, PreparedValues, Prompt, PromptRows, Rendering, RenderOptions } from './library/prompt.js'
export type { Turn } from './render/render.js'
export type { Origin, Within } from './render/origins.js'
export type { OriginKind } from './render/trace.js'
export type { Role } from './artefacts/artefacts.js'
// Problems
export { printProblem, frame, plainPaint, type Paint } from './problems/frame.js'
export { problem, ProblemError, problemRecord, sentence, type Problem, type ProblemCode, type Report } from './problems/problem.js'
export { registry } from './problems/registry.js'
export { nearest } from './problems/suggest.js'
// Parts
export { Source, type Place, type Span } from './source/source.js'
export { parseText, type ParseOptions } from './text/parse.js'
export { printText } from './text/print.js'
export type { Text } from './text/nodes.js'
export { DIRECTIVES } from './text/directives/index.js'
export { FORMATS } from './values/formats/index.js'
export type { Argument, Format, Parameter, Setting } from './values/formats/format.js'
export { readCell } from './values/cells.js'
export { describe, type Declared, type ValueType } from './values/types.js'
export { circles, usesIn, targetsOf } from './library/circles.js'
