export function generateObjects(rows: number, file: string, seed?: number): Promise<void>
