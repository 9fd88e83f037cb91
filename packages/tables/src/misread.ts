import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'

/** A row that could not be read as one, while those after it can. */
export class Misread {
  constructor(
    readonly problem: Problem,
    /** The row as it stands in the source. */
    readonly raw: string,
  ) {}
}

/** @throws ProblemError always: the file, and why it cannot be read. */
export function unreadable(file: string, why: string): never {
  throw new ProblemError([problem('file-unreadable', { file, why })])
}
