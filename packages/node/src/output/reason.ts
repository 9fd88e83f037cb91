const IN_WORDS: Readonly<Record<string, string>> = {
  ENOENT: 'no such file or folder',
  EACCES: 'no permission',
  EPERM: 'no permission',
  EROFS: 'nothing can be written there',
  EISDIR: 'it is a folder',
  ENOTDIR: 'not a folder',
  EEXIST: 'a file of this name is there already',
  ENAMETOOLONG: 'its name is too long',
  EMFILE: 'too many files are open',
  ENOSPC: 'the disk is full',
  EDQUOT: 'the disk is full',
}

/** Why a file could not be opened, in words. */
export function reason(fault: unknown): string {
  if (typeof fault === 'string') return fault
  const code = typeof fault === 'object' && fault !== null && 'code' in fault ? fault.code : undefined
  return typeof code === 'string' ? (IN_WORDS[code] ?? code) : String(fault)
}
