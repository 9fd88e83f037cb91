export function findChromium(): string
export const CHROMIUM_FLAGS: string[]
