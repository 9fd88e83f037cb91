import { execFileSync, spawnSync } from 'node:child_process'
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { resolve } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { openLibrary, serveMock } from '@dunelight/node'
import { COMMAND, dunelight } from '../../../test/command.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()
const library = () => house.pathOf('mine')
beforeEach(() => {
  dunelight('new', library())
})
const foundRuns = () => readdirSync(`${library()}/runs`, { withFileTypes: true }).map(({ name }) => name)

describe('how much is printed', () => {
  test('--json prints what came of a run, an ask and a comparison; --quiet leaves only errors on standard error', () => {
    const run = dunelight('run', library(), 'cards', '--json', '--quiet')
    expect([run.code, run.err, JSON.parse(run.out)]).toEqual([
      0,
      '',
      expect.objectContaining({ run: 'cards-1', state: 'done', counts: expect.objectContaining({ written: 12, rejected: 0 }) as unknown }),
    ])
    const one = dunelight('ask', library(), 'urgent', '--record', 'H-004', '--json')
    expect(JSON.parse(one.out)).toMatchObject({ record: 'H-004', answer: { urgency: expect.any(String) as unknown }, problems: [] })
    const compared = dunelight(
      'compare',
      library(),
      'sort',
      '--records',
      `${library()}/data/objects.csv`,
      '--as',
      'item',
      '--other-setting',
      'temperature=1',
      '--json',
    )
    expect(JSON.parse(compared.out)).toMatchObject({ both: 12, mock: true })
    const wrong = dunelight('run', library(), 'crads', '--quiet')
    expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('did you mean "cards"?')])
    expect(dunelight('run', library(), 'cards', '--quiet', '--verbose').code).toBe(2)
  })

  test('--verbose lists every rejected record', () => {
    const rows = Array.from({ length: 30 }, (_, i) => `R-${i},T,c. 1890,brass,n`)
    writeFileSync(house.pathOf('bad.csv'), `number,title,made,materials,note\n${rows.join('\n')}\n`)
    const listed = (...more: string[]) =>
      dunelight('run', library(), 'cards', '--records', house.pathOf('bad.csv'), '--to', house.pathOf('bad.jsonl'), ...more).err.match(
        /^rejected R-/gm,
      )?.length
    expect([listed(), listed('--verbose')]).toEqual([20, 30])
  })

  test('colour comes with FORCE_COLOR, and never against NO_COLOR', () => {
    const out = (env: Record<string, string>) =>
      spawnSync(process.execPath, [COMMAND, 'check', library()], { encoding: 'utf8', env: { PATH: process.env['PATH'], ...env } }).stdout
    expect(
      [out({ FORCE_COLOR: '1' }), out({}), out({ FORCE_COLOR: '1', NO_COLOR: '1' }), out({ FORCE_COLOR: '0' })].map((text) =>
        text.includes('\u001b['),
      ),
    ).toEqual([true, false, false, false])
  })
})

describe('what is not named', () => {
  test('the library is the one around the current folder', () => {
    mkdirSync(`${library()}/data/deep`, { recursive: true })
    const from = (cwd: string, ...words: string[]) => spawnSync(process.execPath, [resolve(COMMAND), ...words], { cwd, encoding: 'utf8' })
    expect(from(`${library()}/data/deep`, 'check').stdout).toContain('../..: valid')
    expect(from(library(), 'show', 'cards', '--record', 'H-003').stdout).toContain('Storm lantern')
    const none = from('/', 'check')
    expect([none.status, none.stderr]).toEqual([2, expect.stringContaining('the current folder is in none')])
  })

  test('shells complete commands and options', () => {
    writeFileSync(house.pathOf('completion.bash'), dunelight('completion', 'bash').out)
    const complete = (...words: string[]) =>
      execFileSync(
        'bash',
        [
          '-c',
          `source "$0"; COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _dunelight; echo "\${COMPREPLY[@]}"`,
          house.pathOf('completion.bash'),
          ...words,
        ],
        {
          encoding: 'utf8',
        },
      ).trim()
    expect(complete('dunelight', 'rev')).toBe('review')
    expect(complete('dunelight', 'review', '--allow-m')).toBe('--allow-mock')
    expect(dunelight('completion', 'fish').out).toContain('complete -c dunelight -n __fish_use_subcommand -f -a check')
    expect(dunelight('completion', 'zsh').out).toMatch(/^#compdef dunelight\n/)
    expect(dunelight('completion', 'tcsh').code).toBe(2)
  })
})

describe('what would go wrong', () => {
  test('is told by fit with every reason, and for joined tables with the share of records that have no row there', () => {
    const change = (path: string, old: string, now: string) =>
      writeFileSync(`${library()}/${path}`, text(`${library()}/${path}`).replace(old, now))
    change('prompts/describe.yaml', 'made: { type: integer, optional: true', 'made: { type: integer, optional: true, min: 1850, max: 1910')
    change('prompts/describe.yaml', '  reader:', '  place: { type: record, fields: { room: text }, optional: true }\n  reader:')
    change('prompts/describe.yaml', 'Write the card', '{place.room}\n      Write the card')
    change('data/objects.csv', '1898', 'c. 1898')
    writeFileSync(`${library()}/data/places.csv`, 'number,room\nH-001,A1\nH-002,A1\nH-003,B2\n')
    change('batches/cards.yaml', 'to: ..', 'join: [{ from: ../data/places.csv, as: place, where: place.number is item.number }]\nto: ..')
    const { out } = dunelight('fit', library(), 'cards')
    expect(out).toMatch(/place +a record +joined data\/places\.csv +75 %/)
    expect(out).toContain('made: row 4 "1844" — is below the minimum 1850')
    expect(out).toContain('made: row 8 "1911", row 9 "1925" — is above the maximum 1910')
    expect(out).toContain('made: row 11 "c. 1898" — expected a whole number')
  })

  test.each([
    [['--keep', 'item.mad > 3'], '--keep:1:6 error: unknown field "mad" of "item"'],
    [['--name', '{item.nmber}'], '--name:1:7 error: unknown field "nmber"'],
    [['--column', 'item.titel=title'], 'error: --column: unknown field "titel" of "item"'],
    [['--as', 'itm'], 'error: --as: the prompt has no record "itm"'],
    [['--envelope', 'desk'], 'error: --envelope: unknown envelope "desk"'],
    [['--column', 'item.title=titel'], 'unknown column "titel" for "title"'],
    [['--budget', 'lots'], '"budget" must be a number of tokens'],
  ])('by the option %j is found before a run is begun', (words, message) => {
    const { code, err } = dunelight('run', library(), 'cards', ...words, '--runs', house.pathOf('none'))
    expect([code, err]).toEqual([1, expect.stringContaining(message)])
    expect(() => readdirSync(house.pathOf('none'))).toThrow()
  })

  test('the prompts of a run are not overwritten by answers, nor answers by an ask without any', () => {
    expect(dunelight('run', library(), 'cards').code).toBe(0)
    const prompts = text(`${library()}/out/cards.jsonl`)
    const asked = dunelight('ask', library(), 'cards', '--take', '2')
    expect([asked.code, asked.err]).toEqual([1, expect.stringContaining('cards.jsonl has the output of "dunelight run"')])
    expect(text(`${library()}/out/cards.jsonl`)).toBe(prompts)
    expect(dunelight('ask', library(), 'urgent').code).toBe(0)
    const answers = text(`${library()}/out/sorted.jsonl`)
    dunelight('ask', library(), 'urgent', '--keep', 'item.number is "none"')
    expect(text(`${library()}/out/sorted.jsonl`)).toBe(answers)
    expect(foundRuns().sort()).toEqual(['cards-1', 'urgent-1', 'urgent-2'])
  })

  test('the mock server answers what it cannot take with a reason', async () => {
    const server = await serveMock({ library: await openLibrary(library()) })
    const ask = async (body: string) => {
      const response = await fetch(server.url, { method: 'POST', body })
      return [response.status, ((await response.json()) as { why?: string }).why]
    }
    expect(await ask('{"prompt":"sort","turns":"none"}')).toEqual([400, '"turns" must be a list of turns'])
    expect(await ask('{"prompt":5}')).toEqual([400, '"prompt" must be a text'])
    expect(await ask('[]')).toEqual([400, 'the body is a list, not an object'])
    expect(await ask('no')).toEqual([400, 'the body is not valid JSON'])
    expect((await ask('{"prompt":"sort","record":"H-001","fingerprint":"x","settings":{}}'))[0]).toBe(200)
    await server.close()
  })
})

describe('records have the same names', () => {
  const names = ['W-9', 'W-8', 'W-7', '4a-1']
  /** The identifiers are in a column that the prompt does not have; the titles are each another, and no identifiers. */
  const rows = names.map((ref, i) => ({ made: 1850 + i, title: `Lamp ${i}`, ref, materials: 'brass', note: `Dent ${i}`, number: '7' }))
  const written = (name: string, content: string) => {
    writeFileSync(house.pathOf(name), `${content}\n`)
    return house.pathOf(name)
  }
  const csv = () => written('refs.csv', [Object.keys(rows[0]!).join(','), ...rows.map((row) => Object.values(row).join(','))].join('\n'))
  const json = () => written('refs.jsonl', rows.map((row) => JSON.stringify(row)).join('\n'))
  const namesIn = (lines: string) =>
    lines
      .trim()
      .split('\n')
      .map((line) => (JSON.parse(line) as { record: string }).record)

  test('in run on one thread and on two, in render, ask, show and fit, of CSV and JSON Lines', () => {
    for (const path of [csv(), json()]) {
      const read = ['--records', path, '--as', 'item']
      const to = house.pathOf('refs-out.jsonl')
      for (const more of [[], ['--workers', '2']]) {
        expect(dunelight('run', library(), 'describe', ...read, '--to', to, '--overwrite', ...more)).toMatchObject({ code: 0 })
        expect(namesIn(readFileSync(to, 'utf8'))).toEqual(names)
      }
      expect(namesIn(dunelight('render', library(), 'describe', ...read).out)).toEqual(names)
      expect(dunelight('show', library(), 'describe', ...read, '--record', 'W-7').out).toContain('Lamp 2')
      expect(dunelight('ask', library(), 'sort', ...read, '--record', 'W-8', '--json').out).toContain('W-8')
      const fit = dunelight('fit', library(), 'describe', ...read)
      expect(fit.out).toContain('records are named by the column "ref"  W-9 · W-8 · W-7')
      const lost = dunelight('show', library(), 'describe', ...read, '--record', 'W-1')
      expect(lost.err).toContain('did you mean "W-9"?')
      expect(namesIn(dunelight('render', library(), 'describe', ...read, '--name', 'x{item.made}').out)[0]).toBe('x1850')
    }
  })

  test('and fit says why a column does not name them', () => {
    writeFileSync(
      house.pathOf('twice.csv'),
      'number,title,made,materials,note\n7,A lamp,1890,brass,n\n8,A net,1890,flax,n\n7,An oar,1890,ash,n\n',
    )
    const fit = dunelight('fit', library(), 'describe', '--as', 'item', '--records', house.pathOf('twice.csv'))
    expect(fit.out).toContain('records are named by their row numbers')
    expect(fit.out).toContain('records are named by their row numbers: in "number", "7" is in rows 1 and 3')
    const run = dunelight('run', library(), 'describe', '--as', 'item', '--records', house.pathOf('twice.csv'))
    expect(run.err.split('record-ids-unfit')).toHaveLength(2)
  })
})
