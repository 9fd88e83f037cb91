import { defineCommand, LIBRARY, whole } from '../define-command.js'
import type { OpenFlags } from '../workbench/serve.js'

export const openCommand = defineCommand({
  name: 'open',
  group: 'Write',
  about: 'Opens the workbench on a library: records, finished prompts and their source on one page, on this machine alone.',
  arguments: [LIBRARY],
  options: [
    ['--port <n>', 'where it listens; else 7118 or a free one', whole],
    ['--no-browser', 'only print the address'],
  ],
  examples: ['open demo/marram-house'],
  // What serves is loaded only when something is served: looking at a library stays quick.
  run: async (context, [folder], flags: OpenFlags) => (await import('../workbench/serve.js')).serveWorkbench(context, folder, flags),
})
