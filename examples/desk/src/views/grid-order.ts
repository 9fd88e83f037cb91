import { cellText } from 'dunelight/parts'
import { defined } from 'dunelight/host'
import { ROW, type Pass } from '../model/pass.js'
import type { DeskTable } from '../model/table.js'

export type StateFilter = 'all' | 'fits' | 'rejected' | 'changed' | 'out'

export interface GridWishes {
  readonly sort: { readonly column: number; readonly down: boolean } | undefined
  /** The type of each column's cells, by its number. */
  readonly filters: ReadonlyMap<number, string>
  readonly state: StateFilter
}

export const NO_WISHES: GridWishes = { sort: undefined, filters: new Map(), state: 'all' }

/** The rows that are shown, in their order, by their place in the table. */
export function orderOf(table: DeskTable, pass: Pass | undefined, { sort, filters, state }: GridWishes): Uint32Array {
  const wanted = [...filters].filter(([, text]) => text !== '').map(([column, text]) => [column, text.toLowerCase()] as const)
  const shown: number[] = []
  for (let row = 0; row < table.rows.length; row++) {
    if (!isIn(state, pass, row)) continue
    if (wanted.every(([column, text]) => cellText(defined(table.rows[row])[column]).toLowerCase().includes(text))) shown.push(row)
  }
  const order = Uint32Array.from(shown)
  if (!sort) return order
  const keys = table.rows.map((cells) => keyOf(cellText(cells[sort.column])))
  const direction = sort.down ? -1 : 1
  // Empty cells are last, in both directions.
  return order.sort((a, b) => {
    const [first, other] = [defined(keys[a]), defined(keys[b])]
    if (first === other) return a - b
    if (first === '' || other === '') return first === '' ? 1 : -1
    if (typeof first === typeof other) return first < other ? -direction : direction
    return typeof first === 'number' ? -direction : direction
  })
}

/** Numbers come before texts, by their size. */
function keyOf(text: string): number | string {
  const plain = text.trim()
  return plain !== '' && Number.isFinite(Number(plain)) ? Number(plain) : plain.toLowerCase()
}

function isIn(state: StateFilter, pass: Pass | undefined, row: number): boolean {
  if (state === 'all' || !pass) return true
  if (state === 'changed') return pass.changed[row] === 1
  return pass.states[row] === ROW[state]
}
