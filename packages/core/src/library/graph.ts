import { defined } from '../invariant.js'
import { targetsOf, usesIn } from './circles.js'
import { ownTurns, textsOfOutput, type Artefact, type AssemblyModel, type OutputModel, type PromptModel } from '../artefacts/artefacts.js'
import type { LibraryFiles } from '../artefacts/read.js'
import { possibleTexts } from '../compile/possible.js'
import { Scope, variableBinding } from '../compile/scope.js'
import type { Span } from '../source/source.js'
import type { Text } from '../text/nodes.js'
import type { Declared } from '../values/types.js'

/** The kinds of members that a library has. */
export type MemberKind = 'prompt' | 'snippet' | 'persona' | 'example set' | 'output' | 'assembly' | 'batch' | 'envelope' | 'file'

/** A member of a library: an artefact, or a file that a turn attaches. */
export interface Member {
  readonly kind: MemberKind
  readonly name: string
}

/** One member uses another: the place of the use. */
export interface Link {
  readonly from: Member
  readonly to: Member
  readonly span: Span
}

/** What uses what in a library, both ways. */
export class LibraryGraph {
  readonly members: readonly Member[]
  private readonly out = new Map<string, Link[]>()
  private readonly back = new Map<string, Link[]>()

  constructor(
    readonly links: readonly Link[],
    members: readonly Member[],
  ) {
    const all = new Map(members.map((member) => [memberKey(member), member]))
    for (const link of links) {
      if (!all.has(memberKey(link.to))) all.set(memberKey(link.to), link.to)
      push(this.out, memberKey(link.from), link)
      push(this.back, memberKey(link.to), link)
    }
    this.members = [...all.values()]
  }

  /** The members that a member uses, each once, in order. */
  uses(member: Member): Member[] {
    return unique((this.out.get(memberKey(member)) ?? []).map((link) => link.to))
  }

  /** The members that use a member. */
  usedBy(member: Member): Member[] {
    return unique((this.back.get(memberKey(member)) ?? []).map((link) => link.from))
  }

  /** All that a member draws on, directly or through others, in order of first use. */
  drawsOn(member: Member): Member[] {
    return this.reach(member, (member) => this.uses(member))
  }

  /** All that changes where a member changes, in order of distance. */
  reaches(member: Member): Member[] {
    return this.reach(member, (member) => this.usedBy(member))
  }

  /** All that at least one of the members draws on, themselves left out unless another one draws on them. */
  drawnOnByAny(members: readonly Member[]): Member[] {
    return [...this.visited(members, (member) => this.uses(member)).values()]
  }

  private reach(start: Member, next: (member: Member) => Member[]): Member[] {
    const members = this.visited([start], next)
    members.delete(memberKey(start))
    return [...members.values()]
  }

  /** Depth first: the members that a member uses come right after it. */
  private visited(starts: readonly Member[], next: (member: Member) => Member[]): Map<string, Member> {
    const members = new Map<string, Member>()
    const open = starts.toReversed().flatMap((member) => next(member).toReversed())
    for (let member = open.pop(); member; member = open.pop()) {
      const key = memberKey(member)
      if (members.has(key)) continue
      members.set(key, member)
      open.push(...next(member).toReversed())
    }
    return members
  }
}

/**
 * A text that identifies a member of the library.
 *
 * @param member - The member: its kind and name.
 * @returns The kind and the name.
 * @example
 * memberKey({ kind: 'prompt', name: 'label/write' }) // => 'prompt label/write'
 */
export function memberKey({ kind, name }: Member): string {
  return `${kind} ${name}`
}

function push<V>(map: Map<string, V[]>, key: string, value: V): void {
  const list = map.get(key)
  if (list) list.push(value)
  else map.set(key, [value])
}

function unique(members: readonly Member[]): Member[] {
  return [...new Map(members.map((member) => [memberKey(member), member])).values()]
}

/** The artefact of a member; undefined for a file, and for members that the library does not have. */
export function artefactOf(
  { prompts, snippets, personas, examples, outputs, assemblies, batches, envelopes }: LibraryFiles,
  { kind, name }: Member,
): Artefact | undefined {
  switch (kind) {
    case 'prompt':
      return prompts.get(name)
    case 'snippet':
      return snippets.get(name)
    case 'persona':
      return personas.get(name)
    case 'example set':
      return examples.get(name)
    case 'output':
      return outputs.get(name)
    case 'assembly':
      return assemblies.get(name)
    case 'batch':
      return batches.get(name)
    case 'envelope':
      return envelopes.get(name)
    case 'file':
      return undefined
  }
}

/** The path of a member's file, below the library's folder. */
export function artefactFile(artefacts: LibraryFiles, member: Member): string | undefined {
  return member.kind === 'file' ? member.name : artefactOf(artefacts, member)?.file.name
}

/** Reads the graph from a library's files. A name without an artefact is reported elsewhere, and is not a member. */
export function graphOf(artefacts: LibraryFiles): LibraryGraph {
  const links: Link[] = []
  const members: Member[] = []
  for (const prompt of artefacts.prompts.values()) {
    const from: Member = { kind: 'prompt', name: prompt.name }
    members.push(from)
    links.push(...linksOfPrompt(from, prompt, artefacts))
  }
  for (const { name, text } of artefacts.snippets.values()) {
    members.push({ kind: 'snippet', name })
    links.push(...linksOfText({ kind: 'snippet', name }, text, artefacts))
  }
  for (const { name, layout } of artefacts.personas.values()) {
    members.push({ kind: 'persona', name })
    links.push(...linksOfText({ kind: 'persona', name }, layout, artefacts))
  }
  for (const { name, input, expected } of artefacts.examples.values()) {
    members.push({ kind: 'example set', name })
    for (const text of expected === 'output' ? [input] : [input, expected])
      links.push(...linksOfText({ kind: 'example set', name }, text, artefacts))
  }
  for (const output of artefacts.outputs.values()) {
    members.push({ kind: 'output', name: output.name })
    links.push(...linksOfOutput({ kind: 'output', name: output.name }, output, artefacts))
  }
  for (const assembly of artefacts.assemblies.values()) {
    const from: Member = { kind: 'assembly', name: assembly.name }
    members.push(from)
    links.push(...linksOfAssembly(from, assembly, artefacts))
  }
  for (const { name } of artefacts.envelopes.values()) members.push({ kind: 'envelope', name })
  for (const { name, prompt, envelope } of artefacts.batches.values()) {
    const from: Member = { kind: 'batch', name }
    members.push(from)
    const kind = prompt && artefacts.assemblies.has(prompt.name) ? 'assembly' : 'prompt'
    if (prompt) links.push({ from, to: { kind, name: prompt.name }, span: prompt.span })
    if (envelope) links.push({ from, to: { kind: 'envelope', name: envelope.name }, span: envelope.span })
  }
  const known = (member: Member) => member.kind === 'file' || artefactOf(artefacts, member) !== undefined
  return new LibraryGraph(
    links.filter((link) => known(link.to)),
    members,
  )
}

function linksOfPrompt(from: Member, prompt: PromptModel, artefacts: LibraryFiles): Link[] {
  const links: Link[] = []
  const add = (kind: MemberKind, name: string, span: Span) => links.push({ from, to: { kind, name }, span })
  const { basedOn, persona, output } = prompt
  if (basedOn) add('prompt', basedOn.name, basedOn.span)
  for (const turn of ownTurns(prompt)) {
    if (turn.kind === 'examples' || turn.kind === 'input') add('example set', turn.set.name, turn.set.span)
    if (turn.kind === 'input') for (const binding of turn.with) links.push(...linksOfText(from, binding.text, artefacts))
    if (turn.kind !== 'text') continue
    links.push(...linksOfText(from, turn.text, artefacts))
    for (const attachment of turn.attach) if (attachment.kind === 'path') add('file', attachment.path, attachment.span)
  }
  for (const bound of prompt.bind) links.push(...linksOfText(from, bound.text, artefacts))
  const scope = persona || output ? scopeOf(prompt, artefacts) : new Scope([])
  for (const name of namedIn(persona, artefacts.personas, scope)) add('persona', name, wholeOf(defined(persona)))
  for (const name of namedIn(output, artefacts.outputs, scope)) add('output', name, wholeOf(defined(output)))
  return links
}

function linksOfOutput(from: Member, output: OutputModel, artefacts: LibraryFiles): Link[] {
  const links = textsOfOutput(output).flatMap((text) => linksOfText(from, text, artefacts))
  const { basedOn } = output
  if (basedOn) links.push({ from, to: { kind: 'output', name: basedOn.name }, span: basedOn.span })
  const set = output.form === 'one-of' ? output.from?.set : undefined
  if (set) links.push({ from, to: { kind: 'example set', name: set.name }, span: set.span })
  return links
}

function linksOfAssembly(from: Member, { parts, text }: AssemblyModel, artefacts: LibraryFiles): Link[] {
  const prompts = parts.flatMap(({ prompt, choose }) => (typeof choose === 'string' ? [prompt] : [prompt, choose.prompt]))
  const links = prompts.map(({ name, span }): Link => ({ from, to: { kind: 'prompt', name }, span }))
  return text ? [...links, ...linksOfText(from, text, artefacts)] : links
}

function linksOfText(from: Member, text: Text, { snippets }: LibraryFiles): Link[] {
  const links: Link[] = []
  for (const use of usesIn(text)) {
    const add = (kind: MemberKind, name: string) => links.push({ from, to: { kind, name }, span: use.nameSpan })
    const named = use.steps.filter((step) => typeof step === 'string').join('/')
    for (const name of targetsOf(use, snippets)) add('snippet', name)
    if (use.what === 'examples') add('example set', named)
    else if (use.what === 'persona' && named !== '') add('persona', named)
  }
  return links
}

/** The possible names of a text: its choices if they are declared, else the literal ones in it, else any. */
function namedIn(text: Text | undefined, known: ReadonlyMap<string, unknown>, scope: Scope): string[] {
  if (!text) return []
  const possible = possibleTexts(text, scope)
  if (possible) return possible.filter((name) => known.has(name))
  const named = (text.source.text.match(/[\p{L}_][\p{L}\p{M}\p{N}_/-]*/gu) ?? []).filter((word) => known.has(word))
  return named.length > 0 ? named : [...known.keys()]
}

/** The variables of a prompt and of its bases, by name. */
function scopeOf(prompt: PromptModel, { prompts }: LibraryFiles): Scope {
  const declared = new Map<string, Declared>()
  const seen = new Set<string>()
  for (
    let promptModel: PromptModel | undefined = prompt;
    promptModel && !seen.has(promptModel.name);
    promptModel = promptModel.basedOn && prompts.get(promptModel.basedOn.name)
  ) {
    seen.add(promptModel.name)
    for (const d of promptModel.variables) if (!declared.has(d.name)) declared.set(d.name, d)
  }
  return new Scope([...declared.values()].map((d) => variableBinding(d, () => null)))
}

function wholeOf({ source }: Text): Span {
  return source.span(0, source.text.length)
}
