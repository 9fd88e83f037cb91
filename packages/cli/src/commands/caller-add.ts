import { defineCommand, list, whole } from '../define-command.js'
import type { CallerFlags } from '../service/callers.js'

export const callerAddCommand = defineCommand({
  name: 'caller add',
  group: 'Production',
  about: 'Add a caller of the service, or a second token to one that is there. The token goes to stdout, and is stored nowhere.',
  arguments: [['<name>', 'the caller’s name']],
  options: [
    ['--callers <file>', 'the file of the callers, outside every library; it is made if it is missing', undefined, true],
    ['--prompt <name>', 'a prompt that it may use, or all; can be repeated', list],
    ['--tag <tag>', 'a tag whose prompts it may use; can be repeated', list],
    ['--operation <name>', 'render, ask, read or metrics; can be repeated; default: render', list],
    ['--channel <name>', 'a channel that it may name; the first is its default; can be repeated', list],
    ['--editions', 'it may name editions by number'],
    ['--expires <day>', 'the last day on which its tokens are valid, such as 2027-01-31'],
    ['--per-minute <n>', 'requests a minute', whole],
    ['--tokens-a-day <n>', 'tokens that models may use for it in a day', whole],
  ],
  examples: ['caller add front-desk --callers ~/callers.yaml --tag visitor --operation render --operation ask'],
  run: async (context, [name], flags: CallerFlags) => (await import('../service/callers.js')).addCallerTo(context, name, flags),
})
