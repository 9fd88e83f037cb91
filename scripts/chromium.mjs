import { existsSync } from 'node:fs'
import { delimiter, join } from 'node:path'

const NAMES = ['chromium', 'chromium-browser', 'google-chrome', 'google-chrome-stable']

/** The system's browser: `CHROMIUM`, or one of the usual names on the path. */
export function findChromium() {
  const places = (process.env.PATH ?? '').split(delimiter).flatMap((folder) => NAMES.map((name) => join(folder, name)))
  const found = [process.env.CHROMIUM, ...places].find((path) => path && existsSync(path))
  if (!found) throw new Error('no Chromium was found: install it (apt-get install chromium) or name it in CHROMIUM')
  return found
}

export const CHROMIUM_FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
]
