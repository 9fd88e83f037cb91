import { error } from './code.js'

/** Problems of a service. */
export const serviceCodes = {
  'callers-invalid': error<{ file: string; why: string }>(
    'The file of the callers of a service is invalid. A service does not begin with it; one that runs keeps the callers that it had.',
    (d) => `${d.file} is invalid: ${d.why}`,
  ),
  'state-taken': error<{ folder: string; process: number; host: string }>(
    'The state folder of a service is used by one process at a time.',
    (d) => `process ${d.process} on ${d.host} uses the state folder ${d.folder}`,
    () => 'end it, or name another folder with --state',
  ),
  'text-trusted': error<{ name: string; paths: readonly string[] }>(
    'A service takes values from its callers. Free text of theirs must be fenced, unless the prompt says that callers are trusted.',
    (d) =>
      `the prompt "${d.name}" is not served: callers would supply "${d.paths.join('", "')}", which ${d.paths.length === 1 ? 'is' : 'are'} not declared untrusted`,
    (d) =>
      `declare ${d.paths.length === 1 ? 'it' : 'them'} with untrusted: true and insert ${d.paths.length === 1 ? 'it' : 'them'} in a fence, or write trusted: true in prompts/${d.name}.yaml`,
  ),
}
