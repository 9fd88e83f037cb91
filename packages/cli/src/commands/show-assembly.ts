import type { Assembly, Library } from 'dunelight'
import { describe } from 'dunelight/parts'
import { previewAssembly, type AssemblyPreview, type PartPlan } from 'dunelight/host'
import { inputRows } from './show-inputs.js'
import type { NamedValues } from '../flags/record.js'
import type { Colors } from '../ui/context.js'
import { printOrigins } from '../ui/print-origins.js'
import { columns } from '../ui/table.js'

/** What an assembly takes, and its parts. */
export function printAssembly(library: Library, assembly: Assembly, c: Colors): string {
  const lines = [`${c.bold(assembly.name)}  ${assembly.title}`]
  if (assembly.about !== undefined) lines.push(c.dim(assembly.about))
  const inputs = assembly.variables.flatMap((d) => inputRows(d, '')).map(([name = '', type = '', notes = '']) => [name, type, c.dim(notes)])
  lines.push('', c.dim('takes'), ...columns(inputs, { indent: 2 }).split('\n').slice(0, -1))
  const parts = assembly.parts.map((part) => [part.model.name, part.call.prompt, c.dim(partNotes(part))])
  lines.push('', c.dim('parts, in the order in which they are asked'), ...columns(parts, { indent: 2 }).split('\n').slice(0, -1))
  const used = library.graph.drawsOn({ kind: 'assembly', name: assembly.name })
  lines.push('', c.dim('uses'), ...used.map(({ kind, name }) => `  ${kind} ${name}`))
  lines.push('', c.dim('fingerprint'), `  ${assembly.fingerprint}`)
  return `${lines.join('\n')}\n`
}

/** The same as data. */
export function assemblyCard(library: Library, assembly: Assembly): object {
  return {
    name: assembly.name,
    title: assembly.title,
    about: assembly.about,
    variables: assembly.variables.map(({ name, type, untrusted }) => ({ name, type: describe(type), untrusted })),
    parts: assembly.parts.map((part) => ({
      name: part.model.name,
      prompt: part.call.prompt,
      candidates: part.model.candidates,
      distinct: part.model.distinct,
      choose: typeof part.model.choose === 'string' ? part.model.choose : { prompt: part.model.choose.prompt.name },
      needs: part.needs,
      answer: describe(part.declared.type),
    })),
    fingerprint: assembly.fingerprint,
    drawsOn: library.graph.drawsOn({ kind: 'assembly', name: assembly.name }),
  }
}

/** What would be sent for a record: the turns of each part, with samples in the place of answers. */
export function printPreview(assembly: Assembly, given: NamedValues, c: Colors, width: number | undefined): string {
  const { parts, document } = previewed(assembly, given)
  const sections = parts.map(({ question, rendering, problems, requests }) => {
    const head = `${c.bold(question.key)} ${c.dim(`${question.prompt.name}${requests > 1 ? `, ${requests} candidates` : ''}`)}`
    const body = rendering ? printOrigins(rendering.turns, c, width) : problems.map(({ message }) => `${c.red(message)}\n`).join('')
    return `${head}\n${body}`
  })
  const text =
    document.text === '' ? '' : `${c.bold('document')} ${c.dim('with samples in the place of answers')}\n${document.text.trimEnd()}\n`
  return [...sections, text].filter((section) => section !== '').join('\n')
}

export function previewJson(assembly: Assembly, given: NamedValues): string {
  const { parts, document } = previewed(assembly, given)
  const all = parts.map(({ question, rendering, problems, requests }) => ({
    part: question.key,
    prompt: question.prompt.name,
    requests,
    turns: rendering?.turns ?? [],
    problems: problems.map(({ code, message }) => ({ code, message })),
  }))
  return `${JSON.stringify({ assembly: assembly.name, record: given.id, parts: all, document: document.text }, null, 2)}\n`
}

function previewed(assembly: Assembly, { values, id }: NamedValues): AssemblyPreview {
  return previewAssembly(assembly, assembly.input.prepare(values).values, { record: id })
}

function partNotes({ model, needs, each, judge }: PartPlan): string {
  const { candidates, distinct, choose } = model
  return [
    ...(each ? [`for every ${each.item}`] : []),
    ...(candidates > 1 ? [`${candidates} ${distinct ? 'distinct ' : ''}candidates`] : []),
    ...(choose === 'person' ? ['a person chooses'] : judge ? [`scored by ${judge.prompt}`] : []),
    ...(model.when ? ['on a condition'] : []),
    ...(needs.length > 0 ? [`after ${needs.join(', ')}`] : []),
  ].join(' · ')
}
