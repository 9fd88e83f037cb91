import type { Library } from './library.js'
import { ownTurns, textsOfOutput, type TurnModel } from '../artefacts/artefacts.js'
import type { Text } from '../text/nodes.js'
import type { Declared } from '../values/types.js'

/** What an editor of one library file needs: the texts of the language in it, and the names they may use. */
export interface FileTexts {
  readonly texts: readonly Text[]
  readonly variables: readonly Declared[]
}

/**
 * Lists the parsed texts of one file of a library, for editors.
 *
 * @param library - The library.
 * @param file - The file's path in the library's folder.
 * @returns The texts, errors included, and the variables that they may use.
 * @example
 * textsIn(libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' }), 'prompts/hello.yaml').texts.length // => 1
 */
export function textsIn(library: Library, file: string): FileTexts {
  const { prompts, snippets, personas, examples, outputs, assemblies } = library.artefacts
  for (const model of prompts.values()) {
    if (model.file.name !== file) continue
    const others = [model.persona, model.output, model.locale].filter((text) => text !== undefined)
    return { texts: [...ownTurns(model).flatMap(textsOfTurn), ...model.bind.map((b) => b.text), ...others], variables: model.variables }
  }
  for (const snippet of snippets.values()) if (snippet.file.name === file) return { texts: [snippet.text], variables: snippet.variables }
  for (const persona of personas.values())
    if (persona.file.name === file) return { texts: persona.standard ? [] : [persona.layout], variables: [] }
  for (const set of examples.values())
    if (set.file.name === file)
      return {
        texts: (set.expected === 'output' ? [set.input] : [set.input, set.expected]).filter((text) => text.source.host),
        variables: set.fields,
      }
  for (const output of outputs.values()) if (output.file.name === file) return { texts: textsOfOutput(output), variables: [] }
  for (const assembly of assemblies.values())
    if (assembly.file.name === file)
      return { texts: assembly.text ? [assembly.text] : [], variables: [...assembly.variables, ...library.answersOf(assembly.name)] }
  return { texts: [], variables: [] }
}

function textsOfTurn(turn: TurnModel): Text[] {
  if (turn.kind === 'text') return [turn.text]
  return turn.kind === 'input' ? turn.with.map((binding) => binding.text) : []
}
