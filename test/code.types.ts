/** Prompts in code that the compiler must refuse, and others that it must accept. Checked with the tests' types; nothing here is run. */
import {
  makeAssembly,
  makeExampleSet,
  makeLibrary,
  makeOutput,
  makePersona,
  makePrompt,
  makeSnippet,
  type Model,
  type TypesOf,
} from 'dunelight'

/** Equal, not only assignable: a type that has become `any` is equal to nothing else. */
type Same<A, B> = [A] extends [B] ? ([B] extends [A] ? ([unknown] extends [A] ? false : true) : false) : false
const holds = (same: true): boolean => same

const item = {
  type: 'record',
  fields: {
    title: 'text',
    made: { type: 'integer', optional: true },
    parts: 'list of text',
    rooms: { type: 'list of record', fields: { code: 'text', floor: 'integer' } },
  },
} as const
const grade = makeOutput({ kind: 'one-of', of: ['sound', 'watch'] })
const ranked = makeOutput({ kind: 'one-of', of: { urgent: { about: 'The crack grows.', over: 'treat' }, treat: null } })
const label = makeOutput({
  kind: 'fields',
  fields: { heading: 'text', keywords: 'list of text', century: { type: 'integer', optional: true } },
})

// ---------------------------------------------------------------- what passes

export const write = makePrompt({
  title: 'Write a label',
  variables: {
    item,
    audience: { type: 'choice', of: ['adult', 'child'], default: 'adult' },
    note: { type: 'text', untrusted: true },
    notes: { type: 'table', fields: { 'Object No.': 'text', grade: 'text' } },
    guide: { type: 'file', optional: true },
    open: 'record',
    earlier: { type: 'turns', optional: true },
  },
  persona: '{when audience is "child"}storyteller{otherwise}registrar{end}',
  output: grade,
  turns: [
    { system: '~ use persona\n~ use ages/{audience}\n~ use house/style with words = item.made or 40, of = item.title as lower' },
    {
      user: `
        Write {item.title as upper}, {item.made or "no {date}"}. JSON {"a": 1}, {1}, \\{literal} and {open.what.ever.1}.
        {each part, n in item.parts joined ", "}{n}. {part}{end} {item.parts.1} {item.rooms.-1.code}
        ~ each room in item.rooms keep room.floor>1 and not (room.code in ("B0", "and or")) joined "in {nothing}"
        {room.code}{when room.floor is 2} up{otherwise when room.floor < 1} down{end}
        ~ end
        ~ each row in notes
        {row."Object No."}: {row.grade}
        ~ end
        ~ each entry in item
        {entry.key}
        ~ end
        ~ untouched
        {nothing.here} ~ end
        ~ end
        ~ when item.parts as count > 3 and (item.made<1800 or not audience is "child")
        {vary}Old.{instead}Very old.{end}{aside of no matter}
        ~ end
        {note as fenced}
      `,
      attach: ['guide', { from: 'guide', as: 'text' }, '../data/guide.md'],
    },
    { history: 'earlier' },
    { each: 'room, n in item.rooms keep n < 3', turns: [{ user: '{n}: {room.code}' }, { assistant: 'Yes.' }] },
  ],
})

export const rank = makePrompt({ title: 'R', output: ranked, turns: [{ user: 'Go.' }] })
type Ranked = TypesOf<typeof rank>
holds(true satisfies Same<Ranked['reply'], { readonly label: 'urgent' | 'treat' }>)
type Written = TypesOf<typeof write>
holds(true satisfies Same<Written['reply'], { readonly label: 'sound' | 'watch' }>)
holds(true satisfies Same<Written['values']['audience'], 'adult' | 'child' | null | undefined>)
holds(true satisfies Same<Written['values']['item']['made'], number | bigint | null | undefined>)
holds(true satisfies Same<Written['values']['item']['rooms'], readonly { readonly code: string; readonly floor: number | bigint }[]>)

const revise = makePrompt({
  'based-on': write,
  title: 'Revise a label',
  output: label,
  variables: { critique: 'text', who: 'text' },
  bind: { note: 'As {who} said.' },
  without: ['open'],
  replace: { question: { user: '{critique}' } },
  'add-turns': [{ user: '{critique}, {item.title}, {note}' }],
})
holds(true satisfies Same<keyof TypesOf<typeof revise>['values'], 'item' | 'audience' | 'notes' | 'guide' | 'earlier' | 'critique' | 'who'>)
holds(
  true satisfies Same<
    TypesOf<typeof revise>['reply'],
    { readonly heading: string; readonly keywords: readonly string[]; readonly century?: number | null }
  >,
)

const house = makeLibrary({
  prompts: { 'label/write': write, 'label/revise': revise, plain: makePrompt({ title: 'P', turns: [{ user: 'Go.' }] }) },
  snippets: {
    'house/style': makeSnippet({ variables: { words: 'integer', of: 'text' }, text: '{words} {of}' }),
    'ages/adult': 'Grown up.',
    'ages/child': 'Small.',
  },
  personas: { registrar: makePersona({ who: 'You.', layout: '{who}{each rule in never}{rule}{end}' }) },
  examples: {
    notes: makeExampleSet({
      fields: { note: 'text', grade: 'text' },
      input: '{note}',
      expected: '{grade}',
      cases: [{ note: 'x', grade: 'y' }],
    }),
  },
  outputs: { grade, label },
})

// ---------------------------------------------------------------- what does not

const variables = { item, words: { type: 'integer', default: 60 } } as const
export const faults = [
  // @ts-expect-error unknown way of picking called "liking"
  makeExampleSet({ fields: { note: 'text' }, pick: { by: 'liking' } }),
  // @ts-expect-error unknown variable "itme"
  makePrompt({ title: 'T', variables, turns: [{ user: '{itme.title}' }] }),
  // @ts-expect-error unknown field "titel" of "item"
  makePrompt({ title: 'T', variables, turns: [{ system: 'x' }, { user: 'x\n\n{item.titel}' }] }),
  // @ts-expect-error unknown variable "wrods"
  makePrompt({ title: 'T', variables, turns: [{ user: '{item.made or wrods as number}' }] }),
  // @ts-expect-error ".x" cannot follow "words"
  makePrompt({ title: 'T', variables, turns: [{ user: '{words.x}' }] }),
  // @ts-expect-error unknown field "cod" of "room"
  makePrompt({ title: 'T', variables, turns: [{ user: '~ each room in item.rooms\n{room.cod}\n~ end' }] }),
  // @ts-expect-error unknown variable "room" behind the loop
  makePrompt({ title: 'T', variables, turns: [{ user: '{each room in item.rooms}{room.code}{end}{room.code}' }] }),
  // @ts-expect-error unknown variable "worsd" in a condition
  makePrompt({ title: 'T', variables, turns: [{ user: '~ when worsd > 3 and item.title is "x"\nx\n~ end' }] }),
  // @ts-expect-error unknown field "mad" of "item" in a condition behind others
  makePrompt({ title: 'T', variables, turns: [{ user: '{when words > 3 and (item.mad<1800)}x{end}' }] }),
  // @ts-expect-error unknown variable "wrods" passed to a snippet
  makePrompt({ title: 'T', variables, turns: [{ user: '~ use house/style with a = "x, y", words = wrods' }] }),
  // @ts-expect-error unknown variable "age" in a snippet's name
  makePrompt({ title: 'T', variables, turns: [{ user: '{use ages/{age}}' }] }),
  // @ts-expect-error unknown field "cod" of "room" in repeated turns
  makePrompt({ title: 'T', variables, turns: [{ each: 'room in item.rooms', turns: [{ user: '{room.cod}' }] }] }),
  // @ts-expect-error unknown field "halls" of "item"
  makePrompt({ title: 'T', variables, turns: [{ each: 'room in item.halls', turns: [{ user: '{room}' }] }] }),
  // @ts-expect-error unknown variable "audience" in the persona's text
  makePrompt({ title: 'T', variables, persona: '{when audience is "child"}a{otherwise}b{end}', turns: [{ user: 'x' }] }),
  // @ts-expect-error unknown variable "giude"
  makePrompt({ title: 'T', variables: { guide: 'file' }, turns: [{ user: 'x', attach: ['giude'] }] }),
  // @ts-expect-error a prompt has no key "titel"
  makePrompt({ title: 'T', titel: 'T', turns: [{ user: 'x' }] }),
  // @ts-expect-error a turn has one kind of content
  makePrompt({ title: 'T', turns: [{ usre: 'x' }] }),
  // @ts-expect-error unknown type "txet"
  makePrompt({ title: 'T', variables: { a: 'txet' }, turns: [{ user: '{a}' }] }),
  // @ts-expect-error the base has no "nots"
  makePrompt({ 'based-on': write, title: 'T', bind: { nots: 'x' } }),
  // @ts-expect-error unknown variable "whom" in a bound text
  makePrompt({ 'based-on': write, title: 'T', bind: { note: '{whom}' } }),
  // @ts-expect-error unknown variable "wrods" in a snippet
  makeSnippet({ variables: { words: 'integer' }, text: '{wrods}' }),
  // @ts-expect-error unknown variable "rules" in a layout
  makePersona({ who: 'You.', layout: '{rules}' }),
  // @ts-expect-error unknown variable "nte" in an ask side
  makeExampleSet({ fields: { note: 'text' }, input: '{nte}', expected: 'x' }),
  // @ts-expect-error a case without its note
  makeExampleSet({ fields: { note: 'text' }, input: '{note}', expected: 'x', cases: [{}] }),
]

const room = { code: 'B0', floor: 1 }
const values = { item: { title: 'Buoy bell', parts: ['bronze'], rooms: [room] }, note: 'x', notes: [], open: {} }
export function calls(): unknown[] {
  const prompt = house.prompt('label/write')
  const reply = prompt.read('sound').value
  const plain = house.prompt('plain').read('x').value
  prompt.render(values)
  prompt.render({ ...values, audience: 'child', guide: 'data:text/plain,x' })
  // @ts-expect-error "note" is missing
  prompt.render({ item: values.item, notes: [], open: {} })
  // @ts-expect-error "audience" takes adult or child
  prompt.render({ ...values, audience: 'grown-up' })
  // @ts-expect-error "made" takes a number
  prompt.render({ ...values, item: { ...values.item, made: '1911' } })
  // @ts-expect-error the prompt takes no "notez"
  prompt.render({ ...values, notez: [] })
  // @ts-expect-error the library has no prompt "label/wirte"
  house.prompt('label/wirte')
  holds(true satisfies Same<NonNullable<typeof reply>, { readonly label: 'sound' | 'watch' }>)
  holds(true satisfies Same<NonNullable<typeof plain>, string>)
  return [reply, plain]
}

// ---------------------------------------------------------------- replies

const rows = makeOutput({ kind: 'rows', row: '<heading> (<year: integer>) -> <maker: as signed>', count: { min: 5, max: '{n}' } })
const letter = makeOutput({
  kind: 'document',
  text: '# To {to}\n\n<opening: one paragraph>\n\n\\<b> <fee: number, in marks>',
  'must-not-say': ['unique'],
})
const short = makeOutput({ kind: 'fields', 'based-on': label, fields: { body: { type: 'text', 'max-words': '{n}' } } })
const artefacts = makeLibrary({
  outputs: { rows, letter, short, label },
  prompts: {
    rows: makePrompt({ title: 'R', variables: { n: 'integer' }, output: rows, turns: [{ user: '{n} {use output}' }] }),
    letter: makePrompt({ title: 'L', variables: { to: 'text' }, output: letter, turns: [{ user: '{to} {use output}' }] }),
    short: makePrompt({ title: 'S', variables: { n: 'integer' }, output: short, turns: [{ user: '{n} {use output}' }] }),
  },
})
export const read = () => {
  const list = artefacts.prompt('rows').render({ n: 5 }).read('').value
  const done = artefacts.prompt('letter').render({ to: 'x' }).read('').value
  const both = artefacts.prompt('short').render({ n: 5 }).read('').value
  holds(
    true satisfies Same<
      NonNullable<typeof list>['rows'],
      readonly { readonly heading: string; readonly year: number; readonly maker: string }[]
    >,
  )
  holds(true satisfies Same<NonNullable<typeof done>['passages'], { readonly opening: string; readonly fee: number }>)
  holds(true satisfies Same<NonNullable<typeof both>['body'], string>)
  holds(true satisfies Same<NonNullable<typeof both>['heading'], string>)
  return [list, done, both]
}
// @ts-expect-error a kind that does not exist
makeOutput({ kind: 'row', row: '<a>' })
// @ts-expect-error a key of another kind
makeOutput({ kind: 'one-of', of: ['a'], fields: { a: 'text' } })
// @ts-expect-error a bound that is neither a number nor a slot
makeOutput({ kind: 'fields', fields: { a: { type: 'text', 'max-words': 'sixty' } } })

// ---------------------------------------------------------------- assemblies

const heading = makePrompt({ title: 'H', variables: { loan: 'text' }, turns: [{ user: '{loan}' }] })
const graded = makePrompt({ title: 'G', variables: { loan: 'text' }, output: label, turns: [{ user: '{loan}' }] })
const written = makePrompt({ title: 'L', variables: { to: 'text' }, output: letter, turns: [{ user: '{to}' }] })
const dossier = makeAssembly({
  title: 'D',
  variables: { loan: 'text', objects: 'list of text' },
  parts: {
    heading: { prompt: heading, candidates: 3, choose: { prompt: graded } },
    graded: { prompt: graded, when: 'loan is not empty' },
    letter: { prompt: written, set: { to: 'Ines' } },
    each: { prompt: heading, each: 'item in objects', with: { loan: 'item' } },
  },
  text: '# {heading}',
})
const assembled = makeLibrary({ outputs: { label, letter }, prompts: { heading, graded, written }, assemblies: { dossier } })
export async function asks(model: Model): Promise<void> {
  const assembly = assembled.assembly('dossier')
  for await (const event of assembly.ask({ loan: 'L-7', objects: [] }, { model })) {
    if (event.kind !== 'document') continue
    const { columns } = event
    holds(true satisfies Same<(typeof columns)['heading'], string>)
    holds(true satisfies Same<(typeof columns)['document'], string>)
    holds(true satisfies Same<NonNullable<(typeof columns)['graded']>['heading'], string>)
    holds(true satisfies Same<(typeof columns)['letter']['fee'], number>)
    holds(true satisfies Same<(typeof columns)['each'][number]['answer'], string>)
    // @ts-expect-error a part with a condition may be left out
    holds(columns.graded.heading)
  }
  // @ts-expect-error "loan" is missing
  assembly.ask({ objects: [] }, { model })
  // @ts-expect-error the library has no assembly "dosier"
  assembled.assembly('dosier')
}
// @ts-expect-error a part has no key "candidats"
makeAssembly({ title: 'D', parts: { heading: { prompt: heading, candidats: 3 } } })
