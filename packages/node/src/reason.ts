/** Why a file could not be opened, in words. */
export function reason(fault: unknown): string {
  if (typeof fault === 'string') return fault
  const code = typeof fault === 'object' && fault !== null && 'code' in fault ? fault.code : undefined
  if (code === 'ENOENT') return 'there is no such file or folder'
  if (code === 'EACCES' || code === 'EPERM') return 'no permission'
  if (code === 'EISDIR') return 'it is a folder'
  if (code === 'ENOSPC') return 'the disk is full'
  return typeof code === 'string' ? code : String(fault)
}
