import { error, warning } from './code.js'
import { nearest } from './suggest.js'

/** Problems with history, editions, approvals and channels. */
export const editionCodes = {
  'reference-invalid': error<{ text: string }>(
    'What follows the @ names neither an edition, nor a channel, nor a Git revision.',
    (d) => `"${d.text}" is not a valid reference`,
    () => 'write label/write@7, label/write@live or label/write@git:HEAD~3',
  ),
  'edition-unknown': error<{ name: string; number: number; newest: number }>(
    'There is no edition of this number.',
    (d) => `"${d.name}" has no edition ${d.number}`,
    (d) => (d.newest === 0 ? `dunelight publish makes the first one` : `the newest edition is ${d.newest}`),
  ),
  'channel-unknown': error<{ name: string; channel: string; known: readonly string[] }>(
    'The channel does not point at an edition of this prompt.',
    (d) => `"${d.name}" has no channel "${d.channel}"`,
    (d) => {
      const near = nearest(d.channel, d.known)
      if (near !== undefined) return `did you mean "${near}"?`
      return d.known.length > 0 ? `channels: ${d.known.join(', ')}` : `dunelight channel LIBRARY ${d.name} ${d.channel} NUMBER makes it`
    },
  ),
  'edition-altered': error<{ file: string; why: string }>(
    'The file of an edition is not what was published. An edition never changes.',
    (d) => `${d.file} is not what was published: ${d.why}`,
    () => 'restore the file, or publish a new edition',
  ),
  'edition-twice': error<{ name: string; number: number; files: readonly string[] }>(
    'Two editions of a prompt have the same number: two people published at the same time, each in a copy of their own.',
    (d) => `two editions of "${d.name}" have the number ${d.number}: ${d.files.join(', ')}`,
    () => 'dunelight publish --renumber gives the one without approvals the next number',
  ),
  'edition-unapproved': error<{ name: string; number: number; missing: readonly string[] }>(
    'The approvers that you trust have not approved the edition.',
    (d) => `edition ${d.number} of "${d.name}" is not approved: ${d.missing.join('; ')}`,
    (d) => `dunelight approve LIBRARY ${d.name}@${d.number} --signing-key FILE`,
  ),
  'edition-required': error<{ reference: string | undefined }>(
    'Approvers are named, and approvers decide about editions only: anyone can change the working files.',
    (d) => `approvers are named, and ${d.reference === undefined ? 'no edition is' : `"${d.reference}" is not an edition`}`,
    () => 'name an edition or a channel: label/write@7, label/write@live',
  ),
  'edition-revoked': error<{ name: string; number: number; by: string }>(
    'The edition was approved once, and the approval was taken back, or the publisher’s channel statement revokes it.',
    (d) => `edition ${d.number} of "${d.name}" was revoked by ${d.by}`,
    () => 'use an earlier edition, or publish a new one',
  ),
  'edition-secret': error<{ file: string }>(
    'A file contains a value of an environment variable that models.yaml names. An edition would keep it forever.',
    (d) => `${d.file} contains a secret, and cannot be published`,
    () => 'take the secret out of the file',
  ),
  'statement-invalid': warning<{ file: string; why: string }>(
    'A signed statement does not count: its signature, its key or what it names is wrong.',
    (d) => `${d.file} does not count: ${d.why}`,
  ),
  'approvers-invalid': error<{ file: string; why: string }>(
    'The file of the approvers cannot be trusted as it is.',
    (d) => `${d.file}: ${d.why}`,
  ),
  'approvers-unpinned': error<{ file: string; digest: string }>(
    'A file of approvers within the library can be changed by everyone who can change the library. Its digest has to be named.',
    (d) => `${d.file} lies within the library, and nothing says that it is the right one`,
    (d) => `name its digest: --approvers-digest ${d.digest}; or keep the file elsewhere`,
  ),
  'channels-invalid': error<{ file: string; why: string }>(
    'The statement of the channels cannot be trusted.',
    (d) => `${d.file}: ${d.why}`,
  ),
  'channels-rolled-back': error<{ serial: number; seen: number }>(
    'The statement of the channels is older than one that was seen before: an old one was put in its place.',
    (d) =>
      d.serial === d.seen
        ? `there are two different channel statements with the serial ${d.serial}`
        : `the channel statement has the serial ${d.serial}, but ${d.seen} was seen before`,
    () => 'get the newest editions/channels.json',
  ),
  'channels-expired': warning<{ expires: string }>(
    'The statement of the channels has expired: an older state could have been kept back.',
    (d) => `the channel statement expired on ${d.expires}`,
    () => 'get the newest editions/channels.json, or move a channel to sign a new one',
  ),
  'id-missing': error<{ id: string }>(
    'Approvals and channels name the library by its id, so that they cannot be used for another one.',
    () => 'dunelight.yaml has no "id"',
    (d) => `add the line: id: ${d.id}`,
  ),
  'publish-errors': error<{ count: number }>(
    'A library with errors is not published.',
    (d) => `the library has ${d.count === 1 ? 'an error' : `${d.count} errors`}`,
    () => 'dunelight check lists them',
  ),
  'publish-uncommitted': error<{ files: readonly string[] }>(
    'An edition names the commit that it was made from. These files are not in it as they are now.',
    (d) => `not committed: ${d.files.join(', ')}`,
    () => 'commit them, or publish with --uncommitted',
  ),
  'editions-busy': error<{ holder: string }>(
    'Another process is publishing at the moment.',
    (d) => `${d.holder} is publishing at the moment`,
    () => 'try again',
  ),
  'key-unusable': error<{ file: string; why: string }>(
    'The file of a key cannot be used.',
    (d) => `cannot use the key ${d.file}: ${d.why}`,
  ),
  'key-unlisted': error<{ key: string; listed: boolean }>(
    'A signature counts only if the file of approvers lists its key.',
    (d) =>
      d.listed ? `approvers.yaml does not list your key, ${d.key}` : 'the library has no approvers.yaml: a signature would count nowhere',
    (d) => (d.listed ? 'add its public key under people' : 'docs/production.md shows how it is written'),
  ),
  'signature-useless': error<{ why: string }>(
    'The signature would not count, and nothing was signed.',
    (d) => `the signature would not count: ${d.why}`,
    () => 'sign with the key of a person who may',
  ),
  'git-unusable': error<{ folder: string; why: string; hint?: string }>(
    'Git is not installed, the folder is in no repository, or Git refuses to read it.',
    (d) => `cannot read the history of ${d.folder}: ${d.why}`,
    (d) => d.hint,
  ),
  'revision-unknown': error<{ revision: string; shallow: boolean }>(
    'The repository has no commit of this name.',
    (d) => `unknown revision "${d.revision}"`,
    (d) => (d.shallow ? 'the clone is shallow: git fetch --unshallow brings the older commits' : undefined),
  ),
  'revision-without': error<{ name: string; revision: string }>(
    'The prompt did not exist at this revision.',
    (d) => `there is no "${d.name}" at ${d.revision}`,
    (d) => `dunelight history LIBRARY ${d.name} shows since when it exists`,
  ),
  'history-shallow': warning<{ commit: string }>(
    'The clone has not all commits: what is shown as the first state may have a past.',
    (d) => `the history ends at ${d.commit}: the clone is shallow`,
    () => 'git fetch --unshallow brings the older commits',
  ),
}
