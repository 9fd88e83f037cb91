import { Keys, type KeyKind } from './keys.js'
import { readText } from './texts.js'
import type { Artefact, Limits, Named } from './artefacts.js'
import type { Report } from '../problems/problem.js'
import type { Source } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'
import type { Text } from '../text/nodes.js'

/** What reading any artefact needs: its name and file, and where to report. */
export interface Reading {
  readonly name: string
  readonly file: Source
  readonly root: YamlNode
  readonly report: Report
  readonly limits: Limits
}

/** What every artefact has. */
export function artefactOf({ name, file, root }: Reading): Artefact {
  return { name, file, span: root.span, content: root.data() }
}

/** A reading of one artefact: its keys, and its texts with the characters that it allows. */
export class ArtefactReader<K extends string> {
  readonly keys: Keys<K | 'allow'>
  private readonly allow: ReadonlySet<string>

  constructor(
    readonly reading: Reading,
    of: string,
    known: Readonly<Record<K, KeyKind>>,
  ) {
    this.keys = new Keys<K | 'allow'>(reading.root, of, { allow: 'list', ...known }, reading.report)
    this.allow = new Set((this.keys.texts('allow') ?? []).map((character) => character.toUpperCase()))
  }

  get report(): Report {
    return this.reading.report
  }

  get artefact() {
    return artefactOf(this.reading)
  }

  text(node: YamlNode): Text {
    return readText(node, this.report, { nesting: this.reading.limits.nesting, allow: this.allow })
  }

  textAt(key: K): Text | undefined {
    const node = this.keys.get(key)
    return node && this.text(node)
  }

  named(key: K): Named | undefined {
    const node = this.keys.get(key)
    return node && { name: (node.string ?? '').trim(), span: node.span }
  }
}
