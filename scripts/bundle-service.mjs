// The pages of the service: the catalogue, and the viewer of the OpenAPI document. They lie beside the package's modules and beside the command.
import { cpSync, existsSync, mkdirSync, rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { build } from 'vite'

const viewerPackage = dirname(createRequire(import.meta.url).resolve('swagger-ui-dist/package.json'))
const out = 'packages/serve/dist'
const viewer = join(out, 'service-viewer')

rmSync(viewer, { recursive: true, force: true })
mkdirSync(viewer, { recursive: true })
for (const file of ['swagger-ui.css', 'swagger-ui-bundle.js']) cpSync(join(viewerPackage, file), join(viewer, file))
for (const file of ['index.html', 'reference.js']) cpSync(join('packages/serve/viewer', file), join(viewer, file))

await build({ root: 'examples/catalogue', logLevel: 'warn' })

for (const folder of ['service-viewer', 'service-pages']) {
  const copy = join('packages/cli/dist', folder)
  rmSync(copy, { recursive: true, force: true })
  if (existsSync(join(out, folder))) cpSync(join(out, folder), copy, { recursive: true })
}
