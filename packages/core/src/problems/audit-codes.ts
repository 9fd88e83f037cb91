import { error, warning } from './code.js'

/** Problems with the audit of what models are asked. */
export const auditCodes = {
  'audit-key-missing': error<{ variable: string; least: number }>(
    'The audit has to be able to recognise values without having them: it needs a key that only the environment has.',
    (d) => `the library has an audit, and ${d.variable} is not set or shorter than ${d.least} characters`,
    (d) => `set ${d.variable} to a random text, the same for every process`,
  ),
  'audit-line-altered': error<{ file: string; line: number; why: string }>(
    'A line of the audit is not the one that was written.',
    (d) => `${d.file}:${d.line} ${d.why}`,
  ),
  'audit-lines-missing': error<{ writer: string; first: number; last: number }>('Lines of the audit were removed.', (d) =>
    d.first === d.last ? `line ${d.first} of ${d.writer} is missing` : `lines ${d.first} to ${d.last} of ${d.writer} are missing`,
  ),
  'audit-torn': warning<{ file: string; line: number }>(
    'A process ended while it was writing a line. The line is kept, and the next one has its digest.',
    (d) => `${d.file}:${d.line} was not written to its end`,
  ),
  'audit-clock-back': warning<{ file: string; line: number; from: string; to: string }>(
    'The clock of the machine went back. The order of the lines is that of their numbers, not of their times.',
    (d) => `${d.file}:${d.line} the clock went back from ${d.from} to ${d.to}`,
  ),
  'checkpoint-invalid': error<{ file: string; line: number; why: string }>(
    'A checkpoint cannot be used.',
    (d) => `${d.file}:${d.line} ${d.why}`,
  ),
  'checkpoint-unsent': warning<{ to: string; why: string }>(
    'A checkpoint could not be sent. The next one covers the same lines; until then their loss cannot be detected.',
    (d) => `cannot send a checkpoint of the audit to ${d.to}: ${d.why}`,
  ),
}
