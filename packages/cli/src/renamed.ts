import { WrongUse } from './ui/context.js'

/** Commands of earlier versions, with their present names. */
export const RENAMED_COMMANDS: Readonly<Record<string, string>> = {
  pick: 'review',
  'stand-in': 'mock',
  schemas: 'file-schemas',
  variables: 'from-schema',
}

/** Options of earlier versions, by command. */
const RENAMED_OPTIONS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  ask: { '--again': '--corrections', '--at-once': '--concurrency', '--answers': '--candidates', '--misbehave': '--faults' },
  check: { '--was': '--before' },
  compare: { '--at-once': '--concurrency', '--was': '--before' },
  mock: { '--takes': '--delay', '--misbehave': '--faults' },
  read: { '--aside': '--rejected' },
  render: { '--aside': '--rejected' },
  review: {
    '--keep': '--accept',
    '--reject': '--discard',
    '--again': '--regenerate',
    '--keep-rest': '--accept-rest',
    '--again-rest': '--regenerate-rest',
  },
}

/** @throws WrongUse if an option has been renamed. */
export function refuseRenamedOptions([command = '', ...words]: readonly string[]): void {
  const renamed = RENAMED_OPTIONS[command] ?? {}
  for (const word of words) {
    const [name = ''] = word.split('=')
    const present = renamed[name]
    if (present !== undefined) throw new WrongUse(`the option ${name} of "${command}" is now ${present}`)
  }
}
