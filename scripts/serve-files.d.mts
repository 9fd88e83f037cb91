export function serveFiles(folder: string): Promise<{ readonly address: string; readonly close: () => void }>
