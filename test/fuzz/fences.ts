import { libraryFrom } from 'dunelight'
import { attack, tagsIn } from './fence-attacks.js'
import { Random } from './random.js'

// One prompt with a value in every position: before, within and after a fence, in two fences, in a history, in an attached document.
const PROMPT = `title: P
variables:
  a: { type: text, optional: true }
  b: { type: text, optional: true }
  note: { type: text, optional: true, untrusted: true }
  more: { type: list of text, untrusted: true }
  earlier: { type: turns, untrusted: true, optional: true }
  paper: { type: file, untrusted: true, optional: true }
turns:
  - system: "Between <note> and </note> stand others' words. {a}"
  - history: { from: earlier, fence: note }
  - user: |
      {b}{a}
      {note as fenced}
      - {a}
        > {note as fenced "note"}
      ~ each one in more
      {one as fenced "note"}
      ~ end
      End: {b}
    attach: [paper]
`
const library = libraryFrom({ 'prompts/p.yaml': PROMPT.replaceAll('untrusted', 'untrusted') })
const prompt = library.prompt('p')

/** Renders one attack; gives what is wrong with the result, or undefined. */
export function attackFence(seed: number): string | undefined {
  const random = new Random(seed)
  const [a = '', b = '', note = '', first = '', two = '', user = '', assistant = '', paper = ''] = attack(random, 8)
  const earlier = [
    { role: 'user', text: user },
    { role: 'assistant', text: assistant },
  ]
  const values = { a, b, note, more: [first, two], earlier, paper: { name: 'paper.txt', mediaType: 'text/plain', text: paper } }
  const { turns } = prompt.render(values, { origins: random.chance(0.5) })
  const fenced = note !== '' || first !== '' || two !== '' || turns.some(({ role, text }) => role === 'user' && text.startsWith('<note>'))
  if (!fenced) return undefined
  const fences = (note === '' ? 0 : 2) + [first, two].filter((text) => text !== '').length
  for (const turn of turns) {
    // What the author wrote of the tags stands in the system turn, and nothing else may.
    const own = turn.role === 'system' ? 2 : turn.role === 'assistant' ? 0 : turn === turns.at(-1) ? 2 * fences : 2
    const lines = turn.text.split('\n').filter((line) => /^[-> \t]*<\/?note>$/.test(line)).length
    if (turn.role !== 'system' && lines !== own) return `${own} lines of tags expected, ${lines} found`
    if (tagsIn(turn.text) > own) return `${own} tags expected, ${tagsIn(turn.text)} found in\n${turn.text}`
    for (const part of turn.parts ?? [])
      if (part.kind === 'text' && (!/^<note>\n[^]*\n<\/note>$/.test(part.text.replaceAll('paper>', 'note>')) || tagsIn(part.text) > 0))
        return `tags in the document\n${part.text}`
  }
  return undefined
}
