import { cpSync, mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { askBatch, openLibraryFor, readyModel } from '@dunelight/node'
import { batchModel, type Model } from 'dunelight'
import { dunelight } from '../../../test/command.js'
import { linesOf, text, useHouse } from '../../../test/house.js'

const house = useHouse()

describe('screens', () => {
  const screens = [
    'screens:',
    '  - { name: addresses, applies-to: request, finds: personal-data }',
    '  - { name: secrets, applies-to: request, finds: key-shaped, action: stop }',
    '  - { name: long, applies-to: request, finds: tokens, limit: 12, action: note }',
    '  - { applies-to: request, finds: words, words: [ghost ship], action: note }',
    '  - { applies-to: reply, finds: words, words: [priceless] }',
    '  - { name: back, applies-to: reply, finds: personal-data, action: reject }',
    '  - { name: copied, applies-to: reply, finds: copied, limit: 5, action: note }',
    '',
  ].join('\n')
  const screened = () => house.pathOf('screened')

  async function asking(questions: readonly string[], reply: (text: string) => string) {
    cpSync(house.house, screened(), {
      recursive: true,
      filter: (path) => !/\/(?:answers|models.yaml|prompts|batches|examples|outputs)$/.test(path),
    })
    mkdirSync(`${screened()}/prompts`, { recursive: true })
    writeFileSync(`${screened()}/dunelight.yaml`, screens)
    writeFileSync(`${screened()}/prompts/p.yaml`, 'title: P\nvariables: { question: text }\nturns: [{ user: "Answer: {question}" }]\n')
    writeFileSync(house.pathOf('questions.jsonl'), questions.map((question) => `${JSON.stringify({ question })}\n`).join(''))
    const opened = await openLibraryFor(screened(), 'p')
    const sent: string[] = []
    const model: Model = ({ turns }) => {
      const { text: stated } = turns.at(-1)!
      sent.push(stated)
      return Promise.resolve({ text: reply(stated), finish: 'done', usage: { sent: 40, received: 2 } })
    }
    const ready = { ...readyModel(opened, 'p', 'mock'), model }
    const batch = batchModel({ prompt: 'p', records: { from: 'records' }, tokens: true })
    const run = askBatch({
      library: opened,
      folder: screened(),
      name: 'p',
      batch,
      records: { from: house.pathOf('questions.jsonl') },
      model: ready,
      corrections: 0,
      concurrency: 1,
      runs: house.pathOf('screens'),
    })
    return { ...(await run), told: sent }
  }

  test('rejected, note or let pass, before anything is sent and when it comes back', async () => {
    const questions = [
      'Who carved the figurehead?',
      'Write to ines.brook@post.example, please.',
      'Call +49 30 901820 when it rains, or 4111 1111 1111 1111.',
      'Is the Ghost  ship real? It had three masts and a red hull, they say.',
      'What is it worth?',
    ]
    const {
      told: messages,
      counts,
      folder: run,
    } = await asking(questions, (text) =>
      text.includes('worth') ? 'It is priceless.' : text.includes('real') ? 'It had three masts and a red hull.' : 'Nobody knows.',
    )
    expect(messages).toHaveLength(3)
    expect(linesOf(join(run, 'rejected.jsonl')).map((line) => (line['problems'] as { message: string }[])[0]!.message)).toEqual([
      'the screen "addresses" found an e-mail address in the request',
      'the screen "addresses" found a telephone number in the request',
      'the screen "reply words" found the word "priceless" in the reply',
    ])
    expect(text(join(run, 'rejected.jsonl'))).toContain('"screen-found"')
    const notes = linesOf(join(run, 'notes.jsonl'))
    expect(notes.filter((note) => note['record'] === '4')).toMatchObject([
      { record: '4', screen: 'long', found: expect.stringMatching(/^\d+ tokens, more than 12$/) as unknown },
      { screen: 'request words', found: 'the word "ghost ship"' },
      { screen: 'copied', score: 1, found: '5 words copied from the prompt: "it had three masts and"' },
    ])
    expect(counts).toMatchObject({ written: 2, rejected: 3, noted: notes.length })
    expect(text(join(run, 'report.md'))).toMatch(/tokens estimated \| \d+, [\d.]+ % less than was used/)
  })

  test('stop the run, without repeating what they found', async () => {
    const key = `tok_${'Zx9'.repeat(10)}`
    const asked: string[] = []
    const never = Array.from({ length: 20 }, (_, i) => `Never asked ${i}.`)
    const result = await asking(['Sound.', `Use ${key}`, ...never], (text) => {
      asked.push(text)
      return 'Yes.'
    }).catch((fault: unknown) => String(fault))
    expect(asked.filter((text) => text !== 'Answer: Sound.')).toEqual([])
    expect(result).toContain('the screen "secrets" found a text that has the shape of an access key')
    expect(result).not.toContain('Zx9Zx9')
    expect(dunelight('runs', screened(), '--runs', house.pathOf('screens')).out).toMatch(/failed/)
  })

  test('are checked as all else', () => {
    cpSync(house.house, screened(), { recursive: true })
    writeFileSync(
      `${screened()}/dunelight.yaml`,
      'screens:\n  - { applies-to: request, finds: copied }\n  - { applies-to: reply, finds: words }\n  - { applies-to: reply, finds: personal-data, action: drop }\n',
    )
    const { out, err } = dunelight('check', screened())
    for (const words of ['"finds"', '"words"', '"action"']) expect(out + err).toContain(words)
  })
})
