import { defineCommand, LIBRARY, whole } from '../define-command.js'
import type { OpenFlags } from '../desk/serve.js'

export const openCommand = defineCommand({
  name: 'open',
  group: 'Write',
  about: 'Open the desk, a local page: records, prompts and their source, questions, runs and review.',
  arguments: [LIBRARY],
  options: [
    ['--port <n>', 'default: 7118, or a free port', whole],
    ['--requests <n>', 'requests that the page may send to models, until the command ends; default: 200', whole],
    ['--no-browser', 'print the address only'],
  ],
  examples: ['open demo/marram-house'],
  // The server is loaded only when it is needed.
  run: async (context, [folder], flags: OpenFlags) => (await import('../desk/serve.js')).serveDesk(context, folder, flags),
})
