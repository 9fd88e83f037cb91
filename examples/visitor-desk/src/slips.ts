import Papa from 'papaparse'
import questionsCsv from '../../../demo/marram-house/data/questions.csv?raw'
import guideText from '../../../demo/marram-house/data/handling-guide.md?raw'
import type { GuideFile } from './prompts.js'

/** A slip from the box by the door. */
export interface Slip {
  readonly no: string
  readonly asked: string
  readonly room?: string
  readonly to: string
  readonly question: string
}

const ROWS = Papa.parse<Record<string, string>>(questionsCsv, { header: true, skipEmptyLines: true }).data

/** The slips that lie on the desk today. */
export const SLIPS: readonly Slip[] = ROWS.slice(0, 12).map((row) => {
  const cell = (heading: string) =>
    Object.entries(row)
      .find(([name]) => name.toLowerCase() === heading)?.[1]
      .trim() ?? ''
  const room = cell('room')
  return { no: cell('no.'), asked: cell('asked'), to: cell('to'), question: cell('question'), ...(room !== '' && { room }) }
})

export const GUIDE: GuideFile = { name: 'handling-guide.md', mediaType: 'text/markdown', text: guideText }
