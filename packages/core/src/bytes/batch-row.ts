import type { BatchRows, RowLook } from '../batches/rows.js'
import { defined } from '../invariant.js'
import { contained } from '../problems/contained.js'
import { hasSpaceAround, valueOf, type Decode } from './bounds.js'
import { wholeNumber } from './checks.js'
import { ODD, TYPED, type ByteRow } from './row.js'

/** What a batch makes of the row under way: its name, whether it is kept, what is joined to it. Only the values of a few cells are needed for it. */
export class BatchRow {
  id = ''
  isNamed = false
  /** The column whose cell is the name as it stands; -1 if it is another text. */
  column = -1
  private look: RowLook | undefined
  /** The columns that conditions, names and joins read; undefined without any of them. */
  private readonly lookedAt: readonly number[] | undefined
  private readonly cells: unknown[]
  /** The variables that joined rows are values of, and those values by their places. */
  private readonly joins: readonly number[]
  private readonly joined: unknown[] = []

  constructor(
    private readonly rows: BatchRows,
    /** The column that names the records; -1 without one. */
    private readonly idColumn: number,
    private readonly decode: Decode,
  ) {
    this.lookedAt = rows.lookedAt
    this.cells = new Array<unknown>(rows.headings.length).fill(undefined)
    this.joins = rows.joined.filter((place) => place >= 0)
  }

  /** Looks at a row that was cut. */
  find(row: ByteRow): 'kept' | 'left out' | 'odd' {
    const { idColumn, rows, lookedAt } = this
    this.column = -1
    if (lookedAt) {
      this.look = contained(() => this.lookAt(row, lookedAt))
      if (!this.look) return 'left out'
      const { scope, problems } = this.look
      for (const place of this.joins) this.joined[place] = rows.reader.columns.standing[place]
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
    for (const place of this.joins) accepted[place] = this.joined[place]
  }

  private lookAt(row: ByteRow, columns: readonly number[]): RowLook | undefined {
    for (const column of columns) this.cells[column] = valueOf(row, column, this.decode)
    return this.rows.look(this.cells, row.number)
  }
}

/** Whether a cell is a record's name as it stands. */
function isName(row: ByteRow, column: number): boolean {
  if (row.forms[column] === TYPED) return !Number.isNaN(wholeNumber(row, column))
  return (defined(row.kinds[column]) & ODD) === 0 && !hasSpaceAround(row, column)
}
