import { readLibraryFiles } from '../artefacts/read.js'
import { editionName, type Edition } from './edition.js'

/** The tags that an edition's own file names: rules of approvers depend on them. */
export function tagsOf(edition: Edition): readonly string[] {
  const folder = edition.prompt === undefined ? 'assemblies' : 'prompts'
  const name = editionName(edition)
  const own = Object.entries(edition.files).filter(([path]) => path.startsWith(`${folder}/`))
  const files = Object.fromEntries(own.map(([path, { text = '' }]) => [path, text]))
  const { prompts, assemblies } = readLibraryFiles(files, () => undefined)
  return (edition.prompt === undefined ? assemblies.get(name) : prompts.get(name))?.tags ?? []
}
