import { defined } from 'dunelight/host'
import { NumberInput, Tooltip } from '@mantine/core'
import { useDeferredValue, useMemo } from 'react'
import type { OriginKind } from 'dunelight/parts'
import type { Desk } from '../state/desk.js'
import type { Sheet } from '../model/sheet.js'
import { KIND_NAMES, KINDS } from './origins.js'
import { useDesk, useNumber } from './use-desk.js'
import './meter.css'

/** What the record costs, part by part, and how the table's records are spread, against a budget. */
export function Meter({ desk }: { desk: Desk }) {
  const now = useDesk(desk, (s) => s.shown.sheet)
  const { pass } = useDesk(desk, (s) => s.pass)
  const exact = useDesk(desk, (s) => s.library.exact)
  const budget = useDesk(desk, (s) => s.selection.budget)
  // The sheet comes first: its cost is computed once it is drawn.
  const sheet = useDeferredValue(now)
  const number = useNumber()
  const { total, parts } = useMemo(() => partsOf(desk, sheet), [desk, sheet, exact])
  const counted = pass?.tokens.filter((token) => token > 0)
  const over = budget === undefined ? 0 : (counted?.filter((index) => index > budget).length ?? 0)
  const scale = Math.max(total, budget ?? 0, 1)
  return (
    <div className="meter" aria-label="tokens" role="group">
      <span className="meter-total">
        <b>
          {exact ? '' : '≈ '}
          {number(total)}
        </b>{' '}
        tokens
      </span>
      <div
        className="meter-bar"
        role="img"
        aria-label={parts.map(({ kind, tokens }) => `${KIND_NAMES[kind]} ${tokens}`).join(', ') || 'not rendered'}
      >
        {parts.map(({ kind, tokens }) => (
          <Tooltip key={kind} label={`${KIND_NAMES[kind]}: ${number(tokens)}`} withArrow>
            <span className={`meter-part from-${kind}`} style={{ width: `${(tokens / scale) * 100}%` }}>
              {tokens / scale > 0.06 ? number(tokens) : ''}
            </span>
          </Tooltip>
        ))}
        {budget !== undefined && <span className="meter-budget" style={{ left: `${(budget / scale) * 100}%` }} />}
      </div>
      <NumberInput
        size="xs"
        w={96}
        aria-label="budget in tokens"
        placeholder="budget"
        min={1}
        hideControls
        value={budget ?? ''}
        onChange={(next) => desk.selection.setBudget(typeof next === 'number' ? next : undefined)}
      />
      {pass && counted && counted.length > 1 && <Histogram tokens={counted} budget={budget} now={total} />}
      {budget !== undefined && counted && (
        <span className={over > 0 || total > budget ? 'meter-over bad' : 'meter-over'}>
          {over > 0
            ? `${number(over)} of ${number(counted.length)} are over the budget`
            : total > budget
              ? 'this record is over the budget'
              : 'all within the budget'}
        </span>
      )}
    </div>
  )
}

/** Tokens of the whole, shared out by what wrote them: a token that two parts share goes to the longer. */
function partsOf(desk: Desk, sheet: Sheet): { total: number; parts: { kind: OriginKind; tokens: number }[] } {
  const turns = sheet.rendering?.turns ?? []
  const total = turns.reduce((sum, { text }) => sum + desk.library.count(text), 0)
  const own = new Map<OriginKind, number>()
  for (const { text, origins } of turns)
    for (const { kind, start, end } of origins) own.set(kind, (own.get(kind) ?? 0) + desk.library.count(text.slice(start, end)))
  const sum = [...own.values()].reduce((a, b) => a + b, 0)
  const parts = KINDS.flatMap((kind) =>
    own.has(kind) ? [{ kind, tokens: Math.round((defined(own.get(kind)) / Math.max(1, sum)) * total) }] : [],
  )
  return { total, parts }
}

const BARS = 24
const [WIDTH, HEIGHT] = [168, 26]

/** How many records have how many tokens. */
function Histogram({ tokens, budget, now }: { tokens: Uint32Array; budget: number | undefined; now: number }) {
  const number = useNumber()
  const { bars, least, most, highest } = useMemo(() => {
    const [low, high] = [Math.min(...few(tokens, Math.min)), Math.max(...few(tokens, Math.max))]
    const counts = new Array<number>(BARS).fill(0)
    for (const token of tokens) {
      const bar = Math.min(BARS - 1, Math.floor(((token - low) / Math.max(1, high - low)) * BARS))
      counts[bar] = (counts[bar] ?? 0) + 1
    }
    return { bars: counts, least: low, most: high, highest: Math.max(...counts) }
  }, [tokens])
  const along = (value: number) => ((Math.min(most, Math.max(least, value)) - least) / Math.max(1, most - least)) * WIDTH
  return (
    <figure className="histogram">
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label={`tokens of ${tokens.length} records, from ${least} to ${most}`}>
        {bars.map((count, i) => (
          <rect
            key={i}
            className="bar"
            x={(i * WIDTH) / BARS}
            width={WIDTH / BARS - 1}
            y={HEIGHT - (count / highest) * HEIGHT}
            height={(count / highest) * HEIGHT}
          />
        ))}
        <line className="now" x1={along(now)} x2={along(now)} y1={0} y2={HEIGHT} />
        {budget !== undefined && budget >= least && budget <= most && (
          <line className="limit" x1={along(budget)} x2={along(budget)} y1={0} y2={HEIGHT} />
        )}
      </svg>
      <figcaption>
        {number(least)}–{number(most)} tokens, {number(tokens.length)} records
      </figcaption>
    </figure>
  )
}

/** The minimum or maximum, a part at a time: a call cannot take one argument per row of a table. */
function few(tokens: Uint32Array, of: (...values: number[]) => number): number[] {
  const numbers: number[] = []
  for (let from = 0; from < tokens.length; from += 1000) numbers.push(of(...tokens.subarray(from, from + 1000)))
  return numbers
}
