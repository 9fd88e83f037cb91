import { writeFileSync } from 'node:fs'
import iconv from 'iconv-lite'
import { describe, expect, test } from '@jest/globals'
import { dunelight, dunelightFed } from '../../../test/command.js'
import { useHouse } from '../../../test/house.js'

const house = useHouse()
const prompt = 'title: P\nvariables: { item: { type: record, fields: { number: text, title: text } } }\nturns: [{ user: "{item.title}" }]\n'

/** Sentences in a language, as many as a detection needs, each a row. */
const TEXTS: Readonly<Record<string, string>> = {
  'windows-1251': 'Старая лампа из латуни висела над лодкой. Школьный колокол отлит из бронзы. Сеть починена рыбаками у гавани.',
  'koi8-r': 'Старая лампа из латуни висела над лодкой. Школьный колокол отлит из бронзы. Сеть починена рыбаками у гавани.',
  'iso-8859-7': 'Η παλιά λάμπα κρεμόταν πάνω από τη βάρκα. Το σχολικό κουδούνι είναι χάλκινο. Οι ψαράδες έφτιαξαν το δίχτυ.',
  'iso-8859-2': 'Stara lampa wisiała nad łodzią. Dzwon szkolny odlany z brązu. Sieć naprawiona przez rybaków.',
  shift_jis: '古いランプは船の上に掛かっていました。学校の鐘は青銅で作られています。漁師が網を直しました。',
  'euc-jp': '古いランプは船の上に掛かっていました。学校の鐘は青銅で作られています。漁師が網を直しました。',
  gb18030: '旧灯挂在船上。学校的钟是青铜做的。渔民在港口修补了渔网。博物馆收藏了这盏灯。',
  big5: '舊燈掛在船上。學校的鐘是青銅做的。漁民在港口修補了漁網。博物館收藏了這盞燈。',
  'euc-kr': '오래된 램프가 배 위에 걸려 있었다. 학교 종은 청동으로 만들어졌다. 어부들이 그물을 고쳤다.',
}

function table(text: string): string {
  const rows = text.split(/(?<=[.。])\s*/).filter((row) => row !== '')
  return `number,title\n${Array.from({ length: 12 }, (_, i) => `${i + 1},"${rows[i % rows.length]!}"\n`).join('')}`
}

function run(file: string, ...more: string[]) {
  writeFileSync(`${house.house}/prompts/p.yaml`, prompt)
  return dunelight('run', house.house, 'p', '--records', file, '--runs', house.pathOf(`runs-${Math.random()}`), '--to', '-', ...more)
}

describe('a table that is not UTF-8', () => {
  test.each(Object.entries(TEXTS))('in %s is detected, and read as its UTF-8 copy is', (encoding, text) => {
    const [plain, other] = [house.pathOf('plain.csv'), house.pathOf('other.csv')]
    writeFileSync(plain, table(text))
    writeFileSync(other, iconv.encode(table(text), encoding))
    const expected = run(plain).out
    expect(expected).toContain(text.slice(0, 6))
    const detected = run(other)
    expect([detected.err, detected.out === expected]).toEqual([expect.stringContaining('encoding-guessed'), true])
    expect(detected.err).toMatch(/other\.csv is not UTF-8 and is read as \S+ \[encoding-guessed\]/)
    const named = run(other, '--encoding', encoding)
    expect([named.out === expected, named.err.includes('encoding-guessed')]).toEqual([true, false])
    expect(run(other, '--workers', '2').out === expected).toBe(true)
  })

  test.each(['windows-1250', 'iso-8859-2', 'cp850', 'cp437', 'utf-16le', 'utf-32le', 'macintosh'])(
    'in %s is read by its name',
    (encoding) => {
      const [plain, other] = [house.pathOf('plain.csv'), house.pathOf('other.csv')]
      const text = table('Ä lamp für Öl. The bell of Órla, 3 kg.')
      writeFileSync(plain, encoding.startsWith('cp4') ? text.replaceAll('Ó', 'ó') : text)
      writeFileSync(other, iconv.encode(encoding.startsWith('cp4') ? text.replaceAll('Ó', 'ó') : text, encoding))
      const { out } = run(other, '--encoding', encoding)
      expect([out.includes('Öl'), out === run(plain).out]).toEqual([true, true])
    },
  )

  test('is refused by a wrong name, and where the table is no text', () => {
    writeFileSync(house.pathOf('plain.csv'), table('A.'))
    const wrong = run(house.pathOf('plain.csv'), '--encoding', 'klingon')
    expect([wrong.code, wrong.err]).toEqual([1, expect.stringContaining('unknown encoding "klingon" [encoding-unknown]')])
    const sheet = dunelight(
      'run',
      house.house,
      'p',
      '--records',
      `${house.house}/data/visits.xlsx`,
      '--encoding',
      'cp850',
      '--runs',
      house.pathOf('r'),
    )
    expect([sheet.code, sheet.err]).toEqual([1, expect.stringContaining('only texts have an encoding')])
    const alone = dunelight('run', house.house, 'tonight', '--encoding', 'cp850')
    expect([alone.code, alone.err]).toEqual([2, expect.stringContaining('--encoding needs --records')])
  })

  test('in Windows-1252 is read as before, with its notice', () => {
    writeFileSync(house.pathOf('latin.csv'), iconv.encode(table('Café für Ömer, déjà vu.'), 'windows-1252'))
    const { out, err } = run(house.pathOf('latin.csv'))
    expect([out.includes('Café für Ömer, déjà vu.'), err.includes('is read as Windows-1252')]).toEqual([true, true])
    const fed = dunelightFed(
      'number,title\n1,x\n',
      'run',
      house.house,
      'p',
      '--records',
      '-',
      '--encoding',
      'cp850',
      '--runs',
      house.pathOf('fed'),
      '--to',
      '-',
    )
    expect(fed.code).toBe(0)
  })
})
