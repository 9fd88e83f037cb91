import { test } from '@jest/globals'
import { attackFence } from './fuzz/fences.js'
import { writeAnything } from './fuzz/formats.js'
import { fuzz } from './fuzz/fuzz.js'
import { times } from './house.js'

const LONG = 60 * 60_000

test('no value closes or opens a fence', () => fuzz('fences', attackFence, { runs: times(1000, 5000), share: 0.6, atLeast: 200_000 }), LONG)

test(
  'what opens renders: every format over every type',
  () => fuzz('formats', writeAnything, { runs: times(1000, 4000), share: 0.3 }),
  LONG,
)
