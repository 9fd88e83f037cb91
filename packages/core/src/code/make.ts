import type {
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
 * A prompt written in code, with the keys of a library's files. Texts that name no variable, or a field that a record does not have, are
 * faults that the compiler shows. A text that begins with a line end is a block: the indentation that its lines share goes.
 *
 * @example makePrompt({ title: 'Hello', variables: { who: 'text' }, turns: [{ user: 'Good day, {who}.' }] }).kind; // => 'prompt'
 */
export function makePrompt<const D extends PromptInput>(input: D & CheckPrompt<D>): PromptDefinition<VariablesOf<D>, ReplyIn<D>> {
  return { kind: 'prompt', input }
}

/** A snippet: texts use it by the name that the library gives it. */
export function makeSnippet<const D extends SnippetInput>(input: D & CheckSnippet<D>): SnippetDefinition {
  return { kind: 'snippet', input }
}

/** A persona: who speaks, and how. */
export function makePersona<const D extends PersonaInput>(input: D & CheckPersona<D>): PersonaDefinition {
  return { kind: 'persona', input }
}

/** An example set: cases, and the layout of their two sides. */
export function makeExampleSet<const D extends ExampleSetInput>(input: D & CheckExampleSet<D>): ExampleSetDefinition<D['fields']> {
  return { kind: 'example set', input }
}

/** The form of an answer; the replies of prompts that have it are read as its type. */
export function makeOutput<const D extends OutputInput>(input: D & CheckOutput<D>): OutputDefinition<OutputReply<D>> {
  return { kind: 'output', input }
}
