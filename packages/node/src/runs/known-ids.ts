import type { Problem } from 'dunelight'
import { problem } from 'dunelight/host'

/** Ids that an unknown one is compared with. */
const MAX_IDS = 1000

/** The first ids of a table, to suggest one for an id that it does not have. */
export class KnownIds {
  private readonly ids: string[] = []

  add(id: string): void {
    if (this.ids.length < MAX_IDS) this.ids.push(id)
  }

  /** The problem that the table has no record with this id. */
  unknown(id: string): Problem {
    return problem('record-unknown', { id, known: this.ids })
  }
}
