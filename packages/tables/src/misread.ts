import type { Problem } from 'dunelight'

/** A row that could not be read as one, while those after it can. */
export class Misread {
  constructor(
    readonly problem: Problem,
    /** The row as it stands in the source. */
    readonly raw: string,
  ) {}
}
