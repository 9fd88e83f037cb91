import { Library } from 'dunelight'
import { contentOf, faultOfWording, type Edition, type EditionContent } from 'dunelight/editions'
import { caseRowsOf } from '../sources/case-tables.js'
import { objectOf } from './edition-folder.js'

/**
 * The files of a stored edition; a text says which is not what was published.
 *
 * @param beside - Files of the working library that are none of the edition.
 */
export function storedContent(
  root: string,
  edition: Edition,
  beside: Readonly<Record<string, string>> = {},
): Promise<EditionContent | string> {
  return contentOf(edition, { object: (digest) => objectOf(root, digest), readTable: caseRowsOf, beside })
}

/** The same, if they make the wording that was published. */
export async function verifiedContent(
  root: string,
  edition: Edition,
  beside?: Readonly<Record<string, string>>,
): Promise<EditionContent | string> {
  const content = await storedContent(root, edition, beside)
  if (typeof content === 'string') return content
  const { artefacts, problems, attachments, tables } = content
  return faultOfWording(edition, new Library(artefacts, problems, { attachments, tables, countTokens: () => 0 })) ?? content
}
