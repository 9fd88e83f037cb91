import { Document, isAlias, isMap, isScalar, isSeq, parseDocument, type Node, type Pair } from 'yaml'
import { scalarSource } from './scalar.js'
import { Source, type Span } from './source.js'
import { cutTexts, firstFault, type YamlFault } from './yaml-faults.js'

export interface YamlEntry {
  readonly key: string
  readonly keySpan: Span
  readonly value: YamlNode
}

/** A node of a YAML file with its true position. Aliases are followed. */
export class YamlNode {
  constructor(
    readonly file: Source,
    private readonly document: Document,
    readonly node: Node | null,
    private readonly fallback: Span,
  ) {}

  get kind(): 'map' | 'list' | 'scalar' | 'empty' {
    const { node } = this
    if (isMap(node)) return 'map'
    if (isSeq(node)) return 'list'
    return isScalar(node) && node.value !== null ? 'scalar' : 'empty'
  }

  get span(): Span {
    const range = this.node?.range
    return range ? this.file.span(range[0], Math.max(range[0], range[1])) : this.fallback
  }

  entries(): YamlEntry[] {
    if (!isMap(this.node)) return []
    return this.node.items.map((pair) => this.entry(pair as Pair<Node, Node | null>))
  }

  private entry(pair: Pair<Node, Node | null>): YamlEntry {
    const range = pair.key.range
    const keySpan = range ? this.file.span(range[0], range[1]) : this.span
    return { key: isScalar(pair.key) ? scalarText(pair.key) : '', keySpan, value: this.child(pair.value, keySpan) }
  }

  items(): YamlNode[] {
    return isSeq(this.node) ? this.node.items.map((item) => this.child(item as Node | null, this.span)) : []
  }

  private child(node: Node | null, fallback: Span): YamlNode {
    const target = isAlias(node) ? (node.resolve(this.document) ?? null) : node
    return new YamlNode(this.file, this.document, target, fallback)
  }

  /** The scalar's value: text, number, boolean or null. */
  get scalar(): unknown {
    return isScalar(this.node) ? this.node.value : undefined
  }

  /** A scalar as text: as it was spelled, where YAML would make a number or boolean of it. */
  get string(): string | undefined {
    return isScalar(this.node) && this.node.value !== null ? scalarText(this.node) : undefined
  }

  /** A scalar as a text of the language, its positions those of the file. */
  get source(): Source {
    // What was given as data stands in no file.
    if (this.string !== undefined && !this.node?.range) return new Source(this.file.name, this.string)
    return isScalar(this.node)
      ? scalarSource(this.file, this.node)
      : new Source(this.file.name, '', { file: this.file, segments: [{ at: 0, host: this.span.start }], style: 'plain' })
  }

  /** The node as plain data. */
  data(): unknown {
    switch (this.kind) {
      case 'map': {
        const result: Record<string, unknown> = {}
        for (const { key, value } of this.entries())
          Object.defineProperty(result, key, { value: value.data(), enumerable: true, configurable: true, writable: true })
        return result
      }
      case 'list':
        return this.items().map((item) => item.data())
      default:
        return this.scalar ?? null
    }
  }
}

function scalarText(node: { value: unknown; source?: string }): string {
  return typeof node.value === 'string' ? node.value : (node.source ?? String(node.value))
}

/** Reads a YAML 1.2 file. Returns the tree and its problems; aliases expand to at most `aliases` nodes. */
export function parseYaml(source: Source, aliases = 100): { root: YamlNode; faults: YamlFault[]; cut: readonly Span[] } {
  const document = documentOf(source.text)
  if (!document) {
    const whole = source.span(0, 0)
    return { root: new YamlNode(source, parseDocument(''), null, whole), faults: [{ message: TOO_DEEP, span: whole }], cut: [] }
  }
  const whole = source.span(0, 0)
  // The parser hears of a stack that is full as of any other fault.
  const isDeep = document.errors.some((fault) => /call stack/i.test(fault.message))
  const fault = isDeep ? { message: TOO_DEEP, span: whole } : firstFault(document, source)
  const faults: YamlFault[] = fault ? [fault] : []
  if (faults.length === 0) {
    const { count, circular, deep } = nestingOf(document)
    const spanOf = (node: Node | undefined) => (node?.range ? source.span(node.range[0], node.range[1]) : whole)
    if (circular) faults.push({ message: 'an anchor contains itself', span: spanOf(circular) })
    else if (deep) faults.push({ message: TOO_DEEP, span: spanOf(deep) })
    else if (count > aliases) faults.push({ message: `more than ${aliases} aliases`, span: whole })
  }
  const root = faults.length > 0 ? null : document.contents
  return {
    root: new YamlNode(source, document, root, whole),
    faults,
    cut: faults.length > 0 || !CUTTING.test(source.text) ? [] : cutTexts(document, source),
  }
}

/** Plain data as a tree of nodes, for what reads files. Its texts are sources of their own. */
export function nodesOf(data: unknown, name: string): YamlNode {
  const document = new Document(data, { aliasDuplicateObjects: false })
  const file = new Source(name, '')
  return new YamlNode(file, document, document.contents, file.span(0, 0))
}

/** A comment that may have been meant as text: most files have none, and are not looked through. */
const CUTTING = /[ \t]#[^\s#]/

/** Deeper than any file of a library is; its readers follow it by calling themselves. */
const DEEPEST = 200
const TOO_DEEP = `nested more than ${DEEPEST} deep`

/** The document of a text; undefined where it is nested so deep that reading it overflows the stack. */
function documentOf(text: string): Document | undefined {
  try {
    return parseDocument(text, { version: '1.2', merge: false, uniqueKeys: true, prettyErrors: false, stringKeys: false })
  } catch (fault) {
    if (fault instanceof RangeError) return undefined
    throw fault
  }
}

interface Nesting {
  /** Aliases used, those within an aliased node counted each time it is used: what expanding them would cost. */
  count: number
  /** An alias within its own anchor. */
  circular: Node | undefined
  /** A node that is nested too deep. */
  deep: Node | undefined
}

function nestingOf(document: Document): Nesting {
  const nesting: Nesting = { count: 0, circular: undefined, deep: undefined }
  const costs = new Map<unknown, number>()
  const open = new Set<unknown>()
  const cost = (node: unknown, depth: number): number => {
    const known = costs.get(node)
    if (known !== undefined) return known
    if (depth > DEEPEST) {
      nesting.deep ??= node as Node
      return 0
    }
    let sum = 0
    open.add(node)
    if (isAlias(node)) {
      const target = node.resolve(document)
      if (open.has(target)) nesting.circular ??= node
      else sum = 1 + cost(target, depth + 1)
    } else if (isMap(node)) for (const pair of node.items) sum += cost(pair.value, depth + 1)
    else if (isSeq(node)) for (const item of node.items) sum += cost(item, depth + 1)
    open.delete(node)
    costs.set(node, sum)
    return sum
  }
  nesting.count = cost(document.contents, 0)
  return nesting
}
