import { defineCommand, DETAIL_FLAGS, LIBRARY, list, whole } from '../define-command.js'
import { APPROVER_FLAGS } from '../flags/open-library.js'
import type { ServeFlags } from '../service/serve-library.js'

export const serveCommand = defineCommand({
  name: 'serve',
  group: 'Production',
  about: 'Serve prompts to programs: HTTP with OpenAPI, the Model Context Protocol, and a catalogue page.',
  arguments: [LIBRARY],
  options: [
    ['--channel <name>', 'serve the editions of this channel; default: the working files, for development'],
    ...APPROVER_FLAGS,
    ['--strict-expiry', 'serve nothing once the channel statement has expired'],
    ['--callers <file>', 'who may call, as dunelight caller add writes it; default: one token, printed at the start'],
    ['--no-token', 'take requests without a token; only on an address of this machine'],
    ['--port <n>', 'default: 7120, or a free port', whole],
    ['--address <address>', 'the address to listen at; default: 127.0.0.1, which only this machine reaches'],
    ['--host-name <name>', 'a host name that requests may name; can be repeated', list],
    ['--origin <origin>', 'an origin whose pages may call, such as https://desk.example; can be repeated', list],
    ['--model <name>', 'ask this model for every prompt: one in models.yaml, or mock'],
    ['--state <folder>', 'what outlasts the process: budgets, results, cached answers; default: in DUNELIGHT_STATE'],
    ['--stdio', 'serve the Model Context Protocol over standard input and output, to the program that started the command'],
    ...DETAIL_FLAGS,
  ],
  examples: ['serve demo/marram-house', 'serve demo/marram-house --channel live --callers ~/callers.yaml'],
  // The server is loaded only when it is needed.
  run: async (context, [folder], flags: ServeFlags) => (await import('../service/serve-library.js')).serveLibrary(context, folder, flags),
})
