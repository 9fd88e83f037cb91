import { open, type FileHandle } from 'node:fs/promises'
import { extname, join } from 'node:path'
import { problem, ProblemError, type Batch, type BatchModel, type BatchRecord, type Declared, type ValueType } from 'dunelight'
import { append } from '../output/files.js'
import { ROW_ENDINGS, rowWriting, type FinishedRow, type RowEnding, type RowWriting } from '../answers/finished-row.js'

interface Sending {
  readonly keeps: (scope: readonly unknown[]) => boolean
  /** Its file in the run's folder, and where it is handed on to, below the library's. */
  readonly name: string
  readonly path: string
  readonly ending: RowEnding
}

/** Where which rows go once their answers are read. */
export class Sendings {
  private readonly all: readonly Sending[]
  private readonly files: { readonly sending: Sending; readonly file: FileHandle; readonly writing: RowWriting; begun: boolean }[] = []

  /** @throws ProblemError where a condition names what is not there, or a path has an ending that no table has. */
  constructor(
    private readonly batch: Batch,
    { send }: BatchModel,
  ) {
    const scope: Declared[] = [...batch.prompt.variables, answerOf(batch)]
    this.all = send.map(({ when, path }, i) => {
      const ending = ROW_ENDINGS.find((one) => one === extname(path).toLowerCase())
      if (!ending) throw new ProblemError([problem('output-ending', { path, known: [...ROW_ENDINGS] })])
      return { keeps: batch.library!.keep(when.condition, scope), name: `sent-${i + 1}${ending}`, path, ending }
    })
  }

  async open(folder: string, columns: readonly string[]) {
    for (const sending of this.all) {
      const file = await open(join(folder, sending.name), 'w')
      this.files.push({ sending, file, writing: rowWriting(sending.ending, columns), begun: false })
    }
    return {
      files: this.all,
      close: async () => {
        for (const { file } of this.files.splice(0)) await file.close()
      },
    }
  }

  async write({ prepared }: BatchRecord, row: FinishedRow, headings: readonly string[]): Promise<void> {
    if (this.files.length === 0) return
    const values = prepared!.values
    const scope = [...this.batch.prompt.variables.map(({ name }) => values[name]), row.answer]
    for (const one of this.files) {
      if (!one.sending.keeps(scope)) continue
      const head = one.begun ? '' : one.writing.head(headings)
      one.begun = true
      await append(one.file, head + one.writing.line(row, headings), one.sending.name)
    }
  }
}

/** The answer by its columns. */
function answerOf({ prompt }: Batch): Declared {
  const plain = { optional: true, outside: false, span: undefined }
  const fields = prompt.answerColumns.map(({ name, labels }): Declared => ({ ...plain, name, type: labelType(labels) }))
  return { ...plain, name: 'answer', type: { kind: 'record', fields } }
}

function labelType(labels: readonly string[] | undefined): ValueType {
  if (!labels) return { kind: 'any' }
  return labels.length === 2 && labels.includes('true') && labels.includes('false') ? { kind: 'boolean' } : { kind: 'choice', of: labels }
}
