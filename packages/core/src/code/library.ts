import type { AssemblyTypesOf, TypesOf } from './definitions.js'
import { filesOf, type LibraryInput } from './documents.js'
import { readLibraryFiles } from '../artefacts/read.js'
import { Library, type LibraryOptions } from '../library/library.js'
import type { Problem } from '../problems/problem.js'

/** A library that was written in code, with the equivalent files. */
export class WrittenLibrary<P extends object, A extends object = object> extends Library<P, A> {
  constructor(
    /** Path below the library's folder → YAML: written to a folder, they are this library. */
    readonly files: Readonly<Record<string, string>>,
    options: LibraryOptions = {},
  ) {
    const problems: Problem[] = []
    super(
      readLibraryFiles(files, (p) => problems.push(p)),
      problems,
      options,
    )
  }
}

type AssembliesOf<L> = L extends { readonly assemblies: infer A } ? { readonly [N in keyof A]: AssemblyTypesOf<A[N]> } : object
type PromptsOf<L> = L extends { readonly prompts: infer P } ? { readonly [N in keyof P]: TypesOf<P[N]> } : object

/**
 * Makes a library of definitions written in code. It is checked like a library of files.
 *
 * @param input - Prompts, snippets, personas, example sets, outputs and assemblies, each by its name.
 * @param options - As for `libraryFrom`.
 * @returns The library. Its prompts have the types of their variables and replies.
 * @example
 * const hello = makePrompt({ title: 'Hello', variables: { who: 'text' }, turns: [{ user: 'Good day, {who}.' }] })
 * makeLibrary({ prompts: { hello } }).prompt('hello').render({ who: 'Ines' }).turns[0].text // => 'Good day, Ines.'
 */
export function makeLibrary<const L extends LibraryInput>(
  input: L,
  options: LibraryOptions = {},
): WrittenLibrary<PromptsOf<L>, AssembliesOf<L>> {
  return new WrittenLibrary(filesOf(input), options)
}
