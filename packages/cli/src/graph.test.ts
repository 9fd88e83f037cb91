import { execFileSync } from 'node:child_process'
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'

const LIBRARY = 'demo/marram-house'
const folder = mkdtempSync(join(tmpdir(), 'dunelight-graph-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('graph', () => {
  test('shows what each member uses and what uses it', () => {
    const { code, out } = dunelight('graph', LIBRARY)
    expect(code).toBe(0)
    expect(out).toContain(
      '  tour/stop\n    uses     snippet house/style, house/safety, closing/spoken · persona night-watch, storyteller · output spoken-stop\n',
    )
    expect(out).toContain('  conservator\n    used by  prompt dossier/condition, dossier/handling, survey/grade, visitor/answer\n')
  })

  test('context one member, named or by its file: all that changes with it', () => {
    const message =
      'snippet house/style\n  uses     nothing\n  used by  prompt label/write, label/revise, loan/letter, survey/summary, tour/stop · batch tonight, upstairs, loan-round, rooms-year\n'
    for (const name of ['house/style', 'snippets/house/style.yaml', `${LIBRARY}/snippets/house/style.yaml`])
      expect(dunelight('graph', LIBRARY, '--of', name).out).toBe(message)
    expect(dunelight('graph', LIBRARY, '--of', 'house/stile')).toMatchObject({
      code: 2,
      err: expect.stringContaining('did you mean "house/style"?'),
    })
  })

  test('as data, as a drawing and as a page', () => {
    const data = JSON.parse(dunelight('graph', LIBRARY, '--json').out) as { name: string; uses: unknown[] }[]
    expect(data.find((item) => item.name === 'label/revise')?.uses).toEqual([
      { kind: 'prompt', name: 'label/write' },
      { kind: 'snippet', name: 'closing/quiet' },
    ])
    expect(dunelight('graph', LIBRARY, '--to', pathOf('g.svg')).code).toBe(0)
    const svg = readFileSync(pathOf('g.svg'), 'utf8')
    expect([svg.match(/class="member"/g)?.length, svg.match(/class="link"/g)?.length]).toEqual([
      data.length,
      data.reduce((sum, item) => sum + item.uses.length, 0),
    ])
    expect(dunelight('graph', LIBRARY, '--to', pathOf('g.html'), '--of', 'closing/quiet').err).toContain('2 members drawn')
    expect(readFileSync(pathOf('g.html'), 'utf8')).toContain('<title>Marram House: what uses what</title>')
    expect(dunelight('graph', LIBRARY, '--to', pathOf('g.svg'))).toMatchObject({ code: 2, err: expect.stringContaining('exists already') })
    expect(dunelight('graph', LIBRARY, '--to', pathOf('g.gif'))).toMatchObject({
      code: 2,
      err: expect.stringContaining('end it in .svg or .html'),
    })
  })
})

describe('check --touched', () => {
  const library = pathOf('house')
  cpSync(LIBRARY, library, { recursive: true })
  const safety = join(library, 'snippets/house/safety.md')
  const older = pathOf('safety-before.md')
  cpSync(safety, older)
  writeFileSync(safety, readFileSync(safety, 'utf8').replace('ring or taste', 'ring, taste or sit on'))

  test('lists the prompts that change, and how many records of their batches render differently', () => {
    const { code, out } = dunelight('check', library, '--touched', 'snippets/house/safety.md', '--before', older)
    expect(code).toBe(0)
    expect(out).toContain('snippet house/safety: used by 6 prompts\n')
    expect(out).toMatch(
      /label\/write +changed {2}176 of 180 records render differently, 4 rejected as before\n +in .*objects\.csv: MH-0001, .* …\n/,
    )
    expect(out).toMatch(/tour\/stop +changed {2}no batch renders it/)
    expect(out).toContain('loan-dossier  assembly  asked again: draft; after them: critique, handling\n')
  })

  test('counts only the records that an edit reaches', () => {
    const child = join(library, 'prompts/label/write.yaml')
    const before = pathOf('write-before.yaml')
    cpSync(child, before)
    writeFileSync(child, readFileSync(child, 'utf8').replace('It is light enough to say so.', 'It weighs next to nothing.'))
    const { touched } = JSON.parse(dunelight('check', library, '--touched', 'label/write', '--before', before, '--json').out) as {
      touched: { prompts: { prompt: string; tables: { comparison: { changed: number; records: number } }[] }[] }
    }
    const { changed, records } = touched.prompts.find((prompt) => prompt.prompt === 'label/write')!.tables[0]!.comparison
    expect([changed > 0, changed < 60, records]).toEqual([true, true, 180])
    cpSync(before, child)
  })

  test('compares with the last commit by default', () => {
    const git = (...args: string[]) =>
      execFileSync('git', ['-c', 'user.name=Tobias', '-c', 'user.email=t@marram.example', ...args], { cwd: library, stdio: 'pipe' })
    git('init', '-q')
    git('add', '-A')
    git('commit', '-qm', 'as it is')
    const style = join(library, 'snippets/house/style.yaml')
    writeFileSync(style, `# a comment changes nothing\n${readFileSync(style, 'utf8')}`)
    const { out } = dunelight('check', library, '--touched', style)
    expect(out).toContain('compared with the last commit')
    expect(out.match(/unchanged/g)).toHaveLength(5)
  })

  test('reports a change that breaks records', () => {
    const child = join(library, 'prompts/label/write.yaml')
    const before = pathOf('write-before.yaml')
    writeFileSync(child, readFileSync(before, 'utf8').replace('min: 1500, max: 2030', 'min: 1800, max: 2030'))
    expect(dunelight('check', library, '--touched', 'label/write', '--before', before).out).toMatch(/\d+ can no longer be rendered/)
  })

  test('reports a change that breaks a prompt', () => {
    const file = join(library, 'snippets/house/safety.md')
    const kept = pathOf('safety-sound.md')
    cpSync(file, kept)
    writeFileSync(file, 'Never {touch} a thing.\n')
    const { code, out } = dunelight('check', library, '--touched', 'house/safety', '--before', kept)
    expect([code, out.match(/it has errors, now or before/g)?.length]).toEqual([1, 6])
    cpSync(kept, file)
  })

  test('flags that speak of nothing are refused', () => {
    expect(dunelight('check', library, '--before', older)).toMatchObject({ code: 2, err: expect.stringContaining('add --touched FILE') })
    expect(dunelight('check', library, '--touched', 'snippets/house/safty.md')).toMatchObject({
      code: 2,
      err: expect.stringContaining('did you mean "house/safety"'),
    })
  })
})
