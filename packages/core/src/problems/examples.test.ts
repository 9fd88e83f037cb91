import { readFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { registry } from 'dunelight/host'
import { parse } from 'yaml'
import { onePrompt, problemsOf, type Files } from '../../../../test/support.js'

interface Example {
  readonly variables?: string
  readonly bad?: string
  readonly fixed?: string
  readonly 'fixed-variables'?: string
  readonly files?: Files
  readonly before?: string
  readonly after?: string
}

const examples = parse(readFileSync('docs/problem-examples.yaml', 'utf8')) as Record<string, Example>

test('every problem has a bad and a fixed example', () => {
  expect(Object.keys(examples).sort()).toEqual(Object.keys(registry).sort())
  for (const [code, { bad, fixed, before, after }] of Object.entries(examples))
    expect([code, typeof (bad ?? before), typeof (fixed ?? after)]).toEqual([code, 'string', 'string'])
})

test.each(Object.entries(examples).filter(([, { bad }]) => bad !== undefined))('%s is raised by the bad example alone', (code, example) => {
  const { variables = '{}', bad = '', fixed = '', files = {} } = example
  const codes = (text: string, declared: string) => problemsOf(onePrompt(text, declared, files)).map((p) => p.code)
  expect(codes(bad, variables)).toContain(code)
  expect(codes(fixed, example['fixed-variables'] ?? variables)).toEqual([])
})
