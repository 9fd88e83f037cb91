import type { TypesOf } from './definitions.js'
import { filesOf, type LibraryInput } from './documents.js'
import { readShelf } from '../artefacts/read.js'
import { Library, type LibraryOptions } from '../library/library.js'
import type { Problem } from '../problems/problem.js'

/** A library that was written in code, with the files that say the same. */
export class WrittenLibrary<P extends object> extends Library<P> {
  constructor(
    /** Path below the library's folder → YAML: written to a folder, they are this library. */
    readonly files: Readonly<Record<string, string>>,
    options: LibraryOptions = {},
  ) {
    const problems: Problem[] = []
    super(
      readShelf(files, (p) => problems.push(p)),
      problems,
      options,
    )
  }
}

type PromptsOf<L> = L extends { readonly prompts: infer P } ? { readonly [N in keyof P]: TypesOf<P[N]> } : object

/**
 * A library of definitions. It is read like any other, from the files that say the same: problems are collected, and their places are
 * those of these files.
 *
 * @example makeLibrary({ prompts: { hello: makePrompt({ title: 'Hello', variables: { who: 'text' }, turns: [{ user: 'Good day, {who}.' }] }) } }).prompt('hello').render({ who: 'Ines' }).turns[0].text; // => 'Good day, Ines.'
 */
export function makeLibrary<const L extends LibraryInput>(input: L, options: LibraryOptions = {}): WrittenLibrary<PromptsOf<L>> {
  return new WrittenLibrary(filesOf(input), options)
}
