import { utf8ToBytes } from '@noble/hashes/utils.js'
import { Keys, kindWords } from '../artefacts/keys.js'
import { problem, ProblemError, type Problem, type Report } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { parseYaml, type YamlNode } from '../source/yaml.js'
import { lineEnds } from '../values/data.js'
import { digestOf, readPublicKey, type PublicKey } from './signed.js'

const KEYS = { library: 'text', people: 'map', publishers: 'list', rules: 'list' } as const
const RULE_KEYS = { needs: 'integer', tags: 'list', by: 'list' } as const

/** How many approvals an edition needs. */
export interface ApprovalRule {
  readonly needs: number
  /** Prompts with one of these tags; empty for all prompts. */
  readonly tags: readonly string[]
  /** Whose approvals count. */
  readonly by: readonly string[]
}

/** Who may approve and publish, and how many approvals it takes. */
export interface Approvers {
  /** The digest of the file; line ends, which Git may change, make no difference. */
  readonly digest: string
  /** The id of the only library that they decide about; undefined if they decide about any. */
  readonly library: string | undefined
  readonly people: ReadonlyMap<string, PublicKey>
  /** Names of people who may publish editions and move channels. */
  readonly publishers: readonly string[]
  /** Each rule that matches must hold. */
  readonly rules: readonly ApprovalRule[]
}

/**
 * Reads a file of approvers.
 *
 * @param text - The file's text.
 * @param name - What messages call the file.
 * @returns The people with their keys, the publishers, and the rules.
 * @throws ProblemError with everything that is wrong: a file that is half right is not trusted.
 * @example
 * const thrown = await Promise.resolve().then(() => readApprovers('people: {}', 'approvers.yaml')).catch((error) => error)
 * thrown.problems[0].code // => 'key-missing'
 */
export function readApprovers(text: string, name: string): Approvers {
  const file = new Source(name, text)
  const problems: Problem[] = []
  const report: Report = (p) => problems.push(p)
  const { root, faults } = parseYaml(file, 0)
  for (const { message, hint, span } of faults)
    report(problem('yaml-invalid', { detail: message, ...(hint !== undefined && { hint }) }, span))
  if (faults.length === 0 && root.kind !== 'map') report(problem('yaml-invalid', { detail: 'the file has no keys' }, file.span(0, 0)))
  if (problems.length > 0) throw new ProblemError(problems)
  const keys = new Keys(root, 'approvers.yaml', KEYS, report)
  const people = readPeople(keys.required('people'), report)
  const publishers = readNames(keys.required('publishers'), 'publishers', people, report)
  const rules = (keys.required('rules')?.items() ?? []).flatMap((node) => readRule(node, people, publishers, report))
  if (problems.length === 0 && rules.length === 0)
    report(problem('key-invalid', { key: 'rules', expected: 'a list with a rule', found: 'no rule' }, keys.keySpan('rules')))
  if (problems.length > 0) throw new ProblemError(problems)
  return { digest: digestOf(utf8ToBytes(lineEnds(text))), library: keys.text('library'), people, publishers, rules }
}

function readPeople(node: YamlNode | undefined, report: Report): ReadonlyMap<string, PublicKey> {
  const people = new Map<string, PublicKey>()
  for (const { key: name, value } of node?.entries() ?? []) {
    const invalid = (why: string) =>
      report(problem('key-invalid', { key: name, expected: 'an Ed25519 public key in PEM form', found: why }, value.span))
    const read = value.string === undefined ? undefined : readPublicKey(value.string)
    if (read === undefined) invalid(kindWords(value))
    else if (typeof read === 'string') invalid(`what stands here: ${read}`)
    else {
      const other = [...people].find(([, key]) => key.id === read.id)?.[0]
      if (other === undefined) people.set(name, read)
      else invalid(`the key of "${other}": one person could approve twice`)
    }
  }
  return people
}

function readNames(node: YamlNode | undefined, key: string, people: ReadonlyMap<string, PublicKey>, report: Report): readonly string[] {
  return (node?.items() ?? []).flatMap((item) => {
    const name = item.string
    if (name !== undefined && people.has(name)) return [name]
    report(
      problem(
        'key-invalid',
        { key, expected: `names of people: ${[...people.keys()].join(', ')}`, found: name === undefined ? kindWords(item) : `"${name}"` },
        item.span,
      ),
    )
    return []
  })
}

function readRule(node: YamlNode, people: ReadonlyMap<string, PublicKey>, publishers: readonly string[], report: Report): ApprovalRule[] {
  const keys = new Keys(node, 'a rule', RULE_KEYS, report)
  const needs = keys.required('needs') && keys.number('needs')
  const tags = keys.texts('tags') ?? []
  const by = keys.has('by') ? readNames(keys.get('by'), 'by', people, report) : [...people.keys()]
  if (needs === undefined) return []
  // One of them has to publish, and who publishes cannot approve.
  const most = by.length - (publishers.every((name) => by.includes(name)) ? 1 : 0)
  if (needs < 1 || needs > most)
    report(
      problem(
        'key-invalid',
        { key: 'needs', expected: `a whole number from 1 to ${most}, the number of people who can approve`, found: String(needs) },
        keys.keySpan('needs'),
      ),
    )
  return [{ needs, tags, by }]
}
