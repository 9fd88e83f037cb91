import { defineCommand } from '../define-command.js'

export const callerCommand = defineCommand({
  name: 'caller',
  group: 'Production',
  about: 'List the callers of the service, with what they may do.',
  arguments: [['<file>', 'the file of the callers']],
  options: [],
  examples: ['caller ~/callers.yaml'],
  run: async (context, [file]) => (await import('../service/callers.js')).listCallers(context, file),
})
