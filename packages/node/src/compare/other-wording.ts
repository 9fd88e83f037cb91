import { defined } from 'dunelight/host'
import type { Library } from 'dunelight'
import { readReference } from 'dunelight/editions'
import { parseDocument } from 'yaml'
import { openLibraryFor } from '../library/open-for.js'
import type { OpenOptions } from '../library/open-library.js'

/** What replaces parts of a prompt's file, for a comparison. */
export interface OtherWording {
  readonly persona?: string
  readonly settings?: Readonly<Record<string, unknown>>
}

/**
 * A library in which one prompt, in the wording that a reference means, has another persona, or other settings; its files stay as they are.
 *
 * @throws ProblemError where the folder cannot be read.
 */
export async function openWithWording(
  folder: string,
  reference: string,
  { persona, settings }: OtherWording,
  options: OpenOptions = {},
): Promise<Library> {
  const library = await openLibraryFor(folder, reference, options)
  const prompt = readReference(reference).name
  if (persona === undefined && settings === undefined) return library
  library.prompt(prompt)
  const { file } = defined(library.artefacts.prompts.get(prompt))
  const document = parseDocument(file.text)
  if (persona !== undefined) document.set('persona', persona)
  for (const [key, value] of Object.entries(settings ?? {})) document.setIn(['settings', key], value)
  return openLibraryFor(folder, reference, { ...options, instead: { [file.name]: String(document) } })
}
