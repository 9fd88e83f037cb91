import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Library } from 'dunelight'
import type { Member } from 'dunelight/parts'
import { filesOf } from 'dunelight/editions'
import type { LibraryFolder } from '../library/open-library.js'

/** The member of a library with this name: a prompt, or an assembly. */
export function memberNamed(library: Pick<Library, 'artefacts'>, name: string): Member {
  return { kind: library.artefacts.assemblies.has(name) ? 'assembly' : 'prompt', name }
}

/** The bytes of the files that a prompt or an assembly uses, by path, in whatever wording the folder was read. */
export async function contentsOf(
  { root, files, contents = {} }: LibraryFolder,
  library: Pick<Library, 'artefacts' | 'graph'>,
  name: string,
): Promise<Record<string, Uint8Array>> {
  const used: Record<string, Uint8Array> = {}
  for (const path of filesOf(library, memberNamed(library, name))) {
    const text = files[path]
    const bytes = text === undefined ? (contents[path] ?? (await readFile(join(root, path)).catch(() => undefined))) : Buffer.from(text)
    if (bytes) used[path] = bytes
  }
  return used
}
