// Reading replies beside JSON.parse: what checking costs on top, what repairs cost, and the other kinds of outputs. Ratios are medians of runs
// that take turns.
import { libraryFrom } from 'dunelight'
import { openLibrary } from '@dunelight/node'
import { readFileSync } from 'node:fs'

const ROUNDS = 15
const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1]

function perCall(run, times) {
  const start = performance.now()
  for (let i = 0; i < times; i++) run()
  return ((performance.now() - start) * 1000) / times
}

export async function benchReading(say) {
  const demo = 'demo/marram-house'
  const library = await openLibrary(demo)
  const loan = JSON.parse(readFileSync(`${demo}/data/loans.jsonl`, 'utf8').split('\n')[0])
  const replies = (name) =>
    readFileSync(`${demo}/data/replies/${name}.jsonl`, 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line).reply)
  const label = libraryFrom({
    'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]',
    'outputs/o.yaml': readFileSync(`${demo}/outputs/label-card.yaml`, 'utf8').replace('"{words}"', '60'),
  })
    .prompt('p')
    .form()
  const [exact, fenced, , quoted] = replies('labels')
  const letter = library.prompt('loan/letter').render({ loan })
  const [good] = replies('loan-letters')
  const grade = library.prompt('survey/grade').form()
  const runs = {
    'JSON.parse of a label': [() => JSON.parse(exact), 20_000],
    'the label, as it was asked for': [() => label.read(exact), 20_000],
    'the label, in a fence': [() => label.read(fenced), 5000],
    'the label, in single quotes': [() => label.read(quoted), 5000],
    'a grade': [() => grade.read('watch'), 50_000],
    'a grade in a sentence': [() => grade.read('I would call this one watch.'), 5000],
    'a letter of five passages and values': [() => letter.form.read(good), 2000],
    'the letter, and its unsupported claims': [() => letter.read(good), 500],
  }
  for (const value of Object.values(runs)) if (value[0]().problems?.length > 0) throw new Error('a reply of the bench does not fit')
  const found = Object.fromEntries(Object.keys(runs).map((name) => [name, []]))
  for (let round = 0; round < ROUNDS; round++)
    for (const [name, [run, times]] of Object.entries(runs)) found[name].push(perCall(run, times))
  say(`\nReading replies (${exact.length} signs of a label, ${good.length} of a letter):`)
  const [first] = Object.keys(runs)
  for (const [name, list] of Object.entries(found)) {
    const ratio = median(list.map((one, i) => one / found[first][i]))
    say(`  ${name.padEnd(46)} ${median(list).toFixed(1).padStart(7)} µs   ${ratio.toFixed(1)} times JSON.parse`)
  }
}
