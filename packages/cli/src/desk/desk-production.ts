import { problem } from 'dunelight/host'
import { ProblemError } from 'dunelight'
import { changeChannel, listEditions, publishEditions, wordingDiff, wordingHistory, type ListedEdition } from '@dunelight/node'
import { renderedWords, requiredId, turnPairs } from '@dunelight/node/host'
import { openToRead } from '../flags/open-library.js'
import { changeWords } from '../ui/change-words.js'

/** Editions and history of the library as the page shows them. It publishes and moves channels; it signs nothing. */
export class DeskProduction {
  constructor(private readonly root: string) {}

  async of(prompt: string, withHistory: boolean) {
    const [listed, history] = await Promise.all([
      listEditions(this.root, { names: [prompt] }),
      withHistory ? this.history(prompt) : { history: [], historyNotes: [] },
    ])
    const hasApprovers = listed.approvers !== undefined
    return {
      prompt,
      hasApprovers,
      ...(hasApprovers && { channelCommand: `dunelight channel ${shellWord(this.root)} ${prompt} live NUMBER --signing-key FILE` }),
      channels: [...new Set(['live', ...listed.editions.flatMap(({ channels }) => channels)])],
      editions: listed.editions.map((edition) => this.shown(edition)).reverse(),
      problems: listed.problems.map(({ message }) => message),
      ...history,
    }
  }

  async difference(from: string, to: string) {
    const { isSame, files, rendered } = await wordingDiff(this.root, from, to)
    const records =
      rendered === undefined || typeof rendered === 'string'
        ? []
        : rendered.most.flatMap(({ record, alike, before, after }) =>
            turnPairs(before ?? [], after ?? []).map((pair) => ({ record, alike: alike.length, ...pair })),
          )
    const words =
      rendered === undefined ? 'there are no records to render' : typeof rendered === 'string' ? rendered : renderedWords(rendered)
    return { from, to, isSame, files, words, records }
  }

  async publish(prompt: string, note: string, uncommitted: boolean): Promise<string> {
    const { published } = await publishEditions(this.root, [prompt], { uncommitted, ...(note.trim() !== '' && { note: note.trim() }) })
    const [edition] = published
    return edition?.isNew ? `published edition ${edition.number}` : `unchanged: edition ${edition?.number ?? 0} is the newest`
  }

  /** Lets a channel point at an edition. Where approvers decide, a channel needs a signature, and the page makes none. */
  async channel(prompt: string, channel: string, edition: number): Promise<string> {
    const { approvers } = await listEditions(this.root, { names: [prompt] })
    if (approvers)
      throw new ProblemError([
        problem('channels-invalid', { file: 'editions/channels.json', why: 'a publisher has to sign it in the terminal' }),
      ])
    await changeChannel(this.root, prompt, { does: 'point', channel, edition }, { library: requiredId((await openToRead(this.root)).id) })
    return `${channel} is edition ${edition}`
  }

  private shown({ name, number, channels, edition, standing, isRevoked }: ListedEdition) {
    const { created, author, note, files } = edition
    const sameAs = edition['same-as']
    const by = (standing?.statements ?? []).flatMap(({ action, fault, by: who }) =>
      action === 'approve' && fault === undefined ? [who] : [],
    )
    const isGone = isRevoked || (standing?.revokedBy.length ?? 0) > 0
    const command =
      !standing || standing.isApproved || isGone ? undefined : this.signingCommand(`${name}@${number}`, name, standing.publisher)
    return {
      number,
      created,
      channels,
      ...(author !== undefined && { author }),
      ...(note !== undefined && { note }),
      ...(sameAs !== undefined && { sameAs }),
      state: isGone ? 'revoked' : !standing ? 'free' : standing.isApproved ? 'approved' : 'waiting',
      words: isGone ? 'revoked' : standing?.isApproved ? `approved by ${by.join(', ')}` : (standing?.missing.join('; ') ?? ''),
      ...(command !== undefined && { command }),
      files: Object.fromEntries(Object.entries(files).flatMap(([path, { text }]) => (text === undefined ? [] : [[path, text]]))),
    }
  }

  private signingCommand(reference: string, name: string, publisher: string | undefined): string {
    const words = publisher === undefined ? ['publish', this.root, name] : ['approve', this.root, reference]
    return `dunelight ${words.map(shellWord).join(' ')} --signing-key FILE`
  }

  private async history(prompt: string) {
    try {
      const { entries, problems } = await wordingHistory(this.root, prompt)
      return {
        history: entries.flatMap(({ commit, changes }) =>
          changes.map((change) => ({
            ...(commit && { commit: commit.id, time: commit.time, author: commit.author, subject: commit.subject }),
            what: changeWords(change),
            editions: change.editions,
          })),
        ),
        historyNotes: problems.map(({ message }) => message),
      }
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      return { history: [], historyNotes: fault.problems.map(({ message }) => message) }
    }
  }
}

function shellWord(text: string): string {
  return /^[\w./@-]+$/.test(text) ? text : `'${text.replaceAll("'", String.raw`'\''`)}'`
}
