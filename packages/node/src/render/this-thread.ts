import { doSteps, type Step } from '../runs/step.js'
import { recordsOf } from '../sources/records.js'
import { byteTable } from './byte-table.js'
import { renderStep, type Rendering } from './render-step.js'

/** Renders the records of a table on this thread. */
export function onThisThread(rendering: Rendering): Step['blocks'] {
  return async function* (selection) {
    const table = await byteTable(rendering)
    if (table) yield* table(selection)
    else yield* doSteps(recordsOf(rendering), selection, renderStep(rendering))
  }
}
