// What programs need: open a library, render its prompts, read replies, report problems.
export { type AnyAssemblies, type AnyPrompts, Library, libraryFrom, type LibraryOptions } from './library/library.js'
export { makeLibrary, type WrittenLibrary } from './code/library.js'
export { makeAssembly, makeExampleSet, makeOutput, makePersona, makePrompt, makeSnippet } from './code/make.js'
export type { AnyValues, Prompt } from './library/prompt.js'
export type { Answers, Assembly, AssemblyQuestions, PartQuestion } from './library/assembly.js'
export type { AskAssemblyOptions, AssemblyEvent, PartAnswer, Settled } from './library/ask-assembly.js'
export type { AskSettings, PromptAnswer } from './library/ask-prompt.js'
export type { Conversation, ConversationOptions } from './library/conversation.js'
export type { PastTurn } from './values/past-turns.js'
export type { CheckedReply, FinishedTurn, Rendering, RenderOptions } from './library/rendering.js'
export type { PreparedValues } from './library/prepared-values.js'
export type { Turn } from './render/render.js'
export type { Origin } from './render/origins.js'
export type { BatchModel, Role } from './artefacts/artefacts.js'
export { printProblem } from './problems/frame.js'
export { type Problem, type ProblemCode, ProblemError, problemRecord, type ProblemRecord } from './problems/problem.js'
export type { Part } from './render/parts.js'
export type { FileValue } from './values/files.js'
export type {
  AssemblyDefinition,
  AssemblyTypesOf,
  ExampleSetDefinition,
  OutputDefinition,
  PersonaDefinition,
  PromptDefinition,
  SnippetDefinition,
  TypesOf,
} from './code/definitions.js'
export type { ValuesOf } from './values/declarations.js'
export { Form, type Reply } from './outputs/form.js'
export type { FinishedDocument } from './outputs/document/document.js'
export { batchModel } from './batches/batch.js'
export type { AuditEvent, AuditSink } from './asking/audit.js'
export { type Model, type ModelAnswer, type ModelCall, ModelFault, type ModelRequest } from './asking/port.js'
