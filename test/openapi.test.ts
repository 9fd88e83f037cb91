import { execFile, execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { Validator } from '@seriousme/openapi-schema-validator'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { transform } from 'esbuild'
import { createService, listen, type HttpService, type Listening } from '@dunelight/serve'
import { send } from './service.js'

// The document of the demo's prompts, by a public validator and by a client that a public package makes of it.

const folder = mkdtempSync(join(tmpdir(), 'dunelight-openapi-'))
let service: HttpService
let listening: Listening
let document: Record<string, unknown>

beforeAll(async () => {
  service = await createService({ library: 'demo/marram-house', noToken: true, model: 'mock', state: join(folder, 'state') })
  listening = await listen(service, { port: 0 })
  document = (await send(service, '/openapi.json')).data
})
afterAll(async () => {
  await listening.close()
  rmSync(folder, { recursive: true, force: true })
})

test('the document is valid', async () => {
  expect(await new Validator().validate(structuredClone(document))).toEqual({ valid: true })
  const paths = Object.keys(document['paths'] as object)
  expect(paths).toEqual(expect.arrayContaining(['/render/label/write', '/ask/label/write', '/read/survey/grade']))
})

test('its schemas compile, and the example of every prompt fits the schema and is rendered', async () => {
  const ajv = new Ajv2020({ strict: false, validateFormats: false })
  for (const [path, item] of Object.entries(
    document['paths'] as Record<string, { post: { requestBody: { content: Record<string, { schema: object; example?: object }> } } }>,
  )) {
    const { schema, example } = item.post.requestBody.content['application/json'] ?? {}
    const validate = ajv.compile(schema ?? {})
    if (!example) continue
    expect([path, validate(example), validate.errors]).toEqual([path, true, null])
    if (path.startsWith('/render/')) expect([path, (await send(service, path, { body: example })).status]).toEqual([path, 200])
  }
})

test('a client that is generated from it compiles and works', async () => {
  const spec = join(folder, 'openapi.json')
  writeFileSync(spec, JSON.stringify(document))
  execFileSync(
    process.execPath,
    ['node_modules/swagger-typescript-api/dist/cli.mjs', 'generate', '--path', spec, '--output', folder, '--name', 'client.ts'],
    { stdio: 'pipe' },
  )
  writeFileSync(
    join(folder, 'use.ts'),
    `import { Api } from './client.js'
export async function use(baseUrl: string) {
  const { render, ask, read } = new Api({ baseUrl })
  const values = { item: { 'object-no': 'MH-0007', 'survey-note': 'Rust on the hinge.' } }
  const { data: rendered } = await render.renderSurveyGrade({ values })
  const role: 'system' | 'user' | 'assistant' | undefined = rendered.turns[0]?.role
  const { data: asked } = await ask.askSurveyGrade({ values })
  const grade: 'sound' | 'watch' | 'treat' | 'urgent' = asked.answer.grade
  const { data: wasRead } = await read.readSurveyGrade({ text: 'Grade: Watch' })
  const refused = await render.renderSurveyGrade({ values: {} as typeof values }).catch((response: { status: number; error: { problems?: unknown } }) => response)
  return { role, grade, read: wasRead.answer.grade, refused: [refused.status, refused.error.problems] }
}
`,
  )
  const compilerOptions = {
    noEmit: true,
    strict: true,
    target: 'es2022',
    module: 'preserve',
    lib: ['es2023', 'dom'],
    types: [],
    skipLibCheck: true,
  }
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, files: ['use.ts'] }))
  execFileSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', folder], { stdio: 'pipe' })
  for (const name of ['client', 'use']) {
    const { code } = await transform(readFileSync(join(folder, `${name}.ts`), 'utf8'), { loader: 'ts' })
    writeFileSync(join(folder, `${name}.mjs`), code.replace('./client.js', './client.mjs'))
  }
  const program = `import { use } from ${JSON.stringify(pathToFileURL(join(folder, 'use.mjs')).href)}\nconsole.log(JSON.stringify(await use('http://127.0.0.1:${listening.port}')))`
  // The service answers from this process: it must not wait.
  const said = await new Promise<string>((resolve, reject) =>
    execFile(process.execPath, ['--input-type=module', '-e', program], (fault, stdout) =>
      fault ? reject(new Error(fault.message)) : resolve(stdout),
    ),
  )
  expect(JSON.parse(said)).toEqual({
    role: 'system',
    grade: expect.any(String),
    read: 'watch',
    refused: [400, [expect.objectContaining({ pointer: '/item' })]],
  })
})
