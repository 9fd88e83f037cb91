import type {
  AnswersIn,
  AssemblyDefinition,
  AssemblyInput,
  CheckAssembly,
  CheckExampleSet,
  CheckOutput,
  CheckPersona,
  CheckPrompt,
  CheckSnippet,
  ExampleSetDefinition,
  ExampleSetInput,
  OutputDefinition,
  OutputInput,
  OutputReply,
  OwnOf,
  PersonaDefinition,
  PersonaInput,
  PromptDefinition,
  PromptInput,
  ReplyIn,
  SnippetDefinition,
  SnippetInput,
  VariablesOf,
} from './definitions.js'

/**
 * Defines a prompt in code, with the keys of a file in `prompts/`. The compiler reports a text that names an unknown variable or field.
 * If a text begins with a line break, the indentation that its lines share is removed.
 *
 * @param input - The prompt.
 * @returns The definition, for `makeLibrary`.
 * @example
 * makePrompt({ title: 'Hello', variables: { who: 'text' }, turns: [{ user: 'Good day, {who}.' }] }).kind // => 'prompt'
 */
export function makePrompt<const D extends PromptInput>(input: D & CheckPrompt<D>): PromptDefinition<VariablesOf<D>, ReplyIn<D>> {
  return { kind: 'prompt', input }
}

/**
 * Defines a snippet in code. Texts insert it with `~ use` and the name that `makeLibrary` gives it.
 *
 * @param input - The snippet, with the keys of a snippet file.
 * @returns The definition, for `makeLibrary`.
 * @example
 * makeSnippet({ variables: { name: 'text' }, text: 'Care of {name}' }).kind // => 'snippet'
 */
export function makeSnippet<const D extends SnippetInput>(input: D & CheckSnippet<D>): SnippetDefinition {
  return { kind: 'snippet', input }
}

/**
 * Defines a persona in code: who speaks, and how.
 *
 * @param input - The persona, with the keys of a persona file.
 * @returns The definition, for `makeLibrary`.
 * @example
 * makePersona({ role: 'the registrar', traits: { manner: 'short' } }).kind // => 'persona'
 */
export function makePersona<const D extends PersonaInput>(input: D & CheckPersona<D>): PersonaDefinition {
  return { kind: 'persona', input }
}

/**
 * Defines an example set in code: cases, and the layout of both sides.
 *
 * @param input - The example set, with the keys of an example set file.
 * @returns The definition, for `makeLibrary`.
 * @example
 * const cases = [{ note: 'a loose handle', grade: 'treat' }]
 * makeExampleSet({ fields: { note: 'text', grade: 'text' }, input: '{note}', expected: '{grade}', cases }).kind // => 'example set'
 */
export function makeExampleSet<const D extends ExampleSetInput>(input: D & CheckExampleSet<D>): ExampleSetDefinition<D['fields']> {
  return { kind: 'example set', input }
}

/**
 * Defines an output in code: the form of the answer. Replies to prompts that use it are read as its type.
 *
 * @param input - The output, with the keys of an output file.
 * @returns The definition, for `makeLibrary`.
 * @example
 * makeOutput({ fields: { title: 'text' } }).kind // => 'output'
 */
export function makeOutput<const D extends OutputInput>(input: D & CheckOutput<D>): OutputDefinition<OutputReply<D>> {
  return { kind: 'output', input }
}

/**
 * Defines an assembly in code: several prompts whose answers become one document. The types of its answers follow from its prompts.
 *
 * @param input - The assembly, with the keys of a file in `assemblies/`. Parts name prompts, or are given their definitions.
 * @returns The definition, for `makeLibrary`.
 * @example
 * const title = makePrompt({ title: 'A title', variables: { room: 'text' }, turns: [{ user: 'A title for {room}.' }] })
 * makeAssembly({ title: 'A leaflet', variables: { room: 'text' }, parts: { title: { prompt: title } }, text: '# {title}' }).kind // => 'assembly'
 */
export function makeAssembly<const D extends AssemblyInput>(input: D & CheckAssembly<D>): AssemblyDefinition<OwnOf<D>, AnswersIn<D>> {
  return { kind: 'assembly', input }
}
