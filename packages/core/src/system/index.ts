/** What reading or writing a file failed by, in words. */
export function fileFault(error: unknown): string {
  const { code = '', message } = error instanceof Error ? (error as Error & { readonly code?: string }) : { message: String(error) };
  return (
    {
      ENOENT: 'it does not exist',
      EACCES: 'permission denied',
      EPERM: 'permission denied',
      EISDIR: 'it is a folder',
      ENOTDIR: 'it is not a folder',
      ENOSPC: 'the disk is full',
    }[code] ?? message
  );
}
