import { countedByLines } from 'dunelight/host'
import type { Desk } from './desk.js'

/** The library that is open: what it holds, and how its tokens are counted. */
export class LibraryActions {
  constructor(private readonly desk: Desk) {}

  get promptNames(): readonly string[] {
    return [...this.artefacts.prompts.keys()].sort()
  }

  /** The batches that run a prompt. */
  batchesOf(prompt: string): readonly string[] {
    return [...this.artefacts.batches.values()].filter((batch) => batch.prompt?.name === prompt && batch.records).map(({ name }) => name)
  }

  /** The file of a prompt; of a prompt that cannot be opened, the first file of the library's prompts. */
  fileOf(name: string): string | undefined {
    return (
      this.artefacts.prompts.get(name)?.file.name ?? Object.keys(this.desk.state.library.files).find((path) => path.startsWith('prompts/'))
    )
  }

  count(text: string): number {
    return this.desk.opener.countTokens(text)
  }

  /** The tables of the encoding are larger than all the rest of the page: they are loaded after the first sheet. */
  async countExactly(): Promise<void> {
    const encoding = await import('gpt-tokenizer/encoding/o200k_base').catch(() => undefined)
    if (!encoding) {
      this.desk.change({ note: { message: 'tokens are estimated: the exact count could not be loaded', bad: true } })
      return
    }
    const { countTokens } = encoding
    this.desk.opener.countTokens = countedByLines((text) => countTokens(text, { disallowedSpecial: new Set() }))
    this.desk.change({ library: { exact: true } })
  }

  /** The last commit is another wording to compare with and to ask in. */
  async readCommitted(): Promise<void> {
    const committed = await this.desk.service.committed().catch(() => undefined)
    if (committed) this.desk.change({ library: { committed } })
  }

  private get artefacts() {
    return this.desk.state.shown.library.artefacts
  }
}
