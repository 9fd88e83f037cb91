import type { BatchRows, RowLook } from '../batches/rows.js'
import { defined } from '../invariant.js'
import { contained } from '../problems/contained.js'
import { hasSpaceAround, valueOf, type Decode } from './bounds.js'
import { wholeNumber } from './checks.js'
import { ODD, TYPED, type ByteRow } from './row.js'

/** What a row is called, whether it is kept, and what is joined to it. Conditions and names are worked out of the values of the few cells that they need. */
export class RowNames {
  id = ''
  isNamed = false
  /** The column whose cell is the name as it stands; -1 if it is another text. */
  column = -1
  private look: RowLook | undefined
  private readonly joined: unknown[] = []
  private readonly cells: unknown[]

  constructor(
    private readonly rows: BatchRows,
    /** The column that names the records; -1 without one. */
    private readonly idColumn: number,
    private readonly decode: Decode,
  ) {
    this.cells = new Array<unknown>(rows.headings.length).fill(undefined)
  }

  /** Looks at a row that was cut. */
  find(row: ByteRow): 'kept' | 'left out' | 'odd' {
    const { idColumn, rows } = this
    this.column = -1
    if (rows.hasFilter) {
      this.look = contained(() => this.lookAt(row))
      if (!this.look) return 'left out'
      const { scope, problems } = this.look
      for (const place of rows.joined) this.joined[place] = rows.reader.columns.standing[place]
      if (problems.length > 0 || !scope || rows.putJoined(this.joined, scope).length > 0) return 'odd'
    }
    const called = this.look?.called
    this.isNamed = called !== undefined
    if (called !== undefined) this.id = called
    else if (idColumn < 0 || row.isEmpty(idColumn)) this.id = String(row.number)
    else {
      if (!isName(row, idColumn)) return 'odd'
      this.id = this.decode(row, idColumn)
      this.isNamed = true
      this.column = idColumn
    }
    return 'kept'
  }

  /** Puts the joined rows of the row under way among its values. */
  putJoined(accepted: unknown[]): void {
    for (const place of this.rows.joined) if (place >= 0) accepted[place] = this.joined[place]
  }

  private lookAt(row: ByteRow): RowLook | undefined {
    for (const column of this.rows.lookedAt) this.cells[column] = valueOf(row, column, this.decode)
    return this.rows.look(this.cells, row.number)
  }
}

/** Whether a cell is a record's name as it stands. */
function isName(row: ByteRow, column: number): boolean {
  if (row.forms[column] === TYPED) return !Number.isNaN(wholeNumber(row, column))
  return (defined(row.kinds[column]) & ODD) === 0 && !hasSpaceAround(row, column)
}
