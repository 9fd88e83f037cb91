import { describe, expect, test } from '@jest/globals'
import { toHtml, toMarkdown } from '@dunelight/node/host'
import { start } from '../../../test/asking.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()

describe('comparing', () => {
  test('compares the answers of two wordings, and writes a report', async () => {
    const words = ['survey/grade', '--records', house.objects, '--take', '50', '--runs', house.pathOf('compared')]
    const { code, out } = await start(
      'compare',
      house.house,
      ...words,
      '--other-persona',
      'night-watch',
      '--to',
      house.pathOf('compared.html'),
    ).ended
    expect(code).toBe(0)
    expect(out).toMatch(/^answers come from the built-in mock model/)
    const [, same, of] = /grade: the same for (\d+) of (\d+)/.exec(out)!
    const table = out
      .split('\n')
      .filter((line) => /^ {2}(?:sound|watch|treat|urgent) /.test(line))
      .map((line) =>
        line
          .trim()
          .split(/\s+/)
          .slice(1)
          .map((cell) => (cell === '·' ? 0 : Number(cell))),
      )
    expect(table.flat().reduce((sum, count) => sum + count, 0)).toBe(Number(of))
    expect(table.reduce((sum, row, i) => sum + row[i]!, 0)).toBe(Number(same))
    expect(Number(of)).toBe(50)
    expect(text(house.pathOf('compared.html'))).toContain('survey/grade, as night-watch')
  })

  test('marks what only one of two texts has, and escapes markup in them', async () => {
    const two = [
      {
        title: 'MH-1',
        first: [
          { text: 'brass ', own: false },
          { text: '<b>', own: true },
        ],
        other: [
          { text: 'brass ', own: false },
          { text: '"oak"', own: true },
        ],
      },
    ]
    const report = { title: 'Two', facts: [], sections: [{ title: 'T', notes: [], pairs: two }] }
    expect(await toHtml(report)).toContain('brass <del>&lt;b&gt;</del></blockquote><blockquote>brass <ins>&quot;oak&quot;</ins>')
    expect(toMarkdown(report)).toContain('> brass **<b>**\n\n> brass **"oak"**')
    const same = await start('compare', house.house, 'survey/grade', '--records', house.objects).ended
    expect([same.code, same.err]).toEqual([2, expect.stringContaining('both sides are the same')])
  })

  test('draws a chart whose labels stay text, whatever they are', async () => {
    const labels = ['a<b> & "c"', '#010203', 'var(--bar)', `${'long '.repeat(20)}end`]
    const chart = { of: 'grade', unit: 'records', labels, counts: [3, 2, 1, 0] }
    const report = { title: 'C', facts: [], sections: [{ title: 'T', notes: [], chart }] }
    const drawn = [...(await toHtml(report)).matchAll(/<text [^>]*>([^<]*)</g)].map((match) => match[1])
    expect(drawn).toEqual(['a&lt;b&gt; &amp; &quot;c&quot;', '#010203', 'var(--bar)', 'long long long long long lo…', '3', '2', '1', '0'])
    expect(toMarkdown(report)).toContain(`| grade | records |  |\n| --- | --- | --- |\n| a<b> & "c" | 3 | \`${'█'.repeat(30)}\` |\n`)
  })
})
