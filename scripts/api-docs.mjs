// Makes docs/api.md from the docstrings: every name that the public entry points export. Reports names whose docstring is incomplete.
import { Application, ReflectionKind } from 'typedoc'

const ENTRIES = [
  ['dunelight', 'packages/core/src/index.ts', 'Open a library, render its prompts, read replies.'],
  ['@dunelight/node', 'packages/node/src/index.ts', 'Libraries in folders, tables, runs, models.'],
  ['@dunelight/serve', 'packages/serve/src/index.ts', 'A library as a service.'],
  ['@dunelight/client', 'packages/client/src/index.ts', 'The prompts of a service, in browsers and in Node.'],
  ['dunelight/parts', 'packages/core/src/parts.ts', 'For tools that work on libraries: the parser and printer, pickers, schemas.'],
]
const GROUPS = [
  ['Functions', ReflectionKind.Function],
  ['Classes', ReflectionKind.Class],
  ['Constants', ReflectionKind.Variable],
  ['Types', ReflectionKind.Interface | ReflectionKind.TypeAlias],
]

/** The page, and a sentence for each name with an incomplete docstring. */
export async function apiDocs() {
  const app = await Application.bootstrap({
    entryPoints: ENTRIES.map(([, file]) => file),
    tsconfig: 'tsconfig.check.json',
    skipErrorChecking: true,
    excludeExternals: true,
    excludePrivate: true,
    excludeInternal: true,
    disableSources: true,
    logLevel: 'Error',
  })
  const project = await app.convert()
  const incomplete = []
  const modules = ENTRIES.map(([name, file, about]) => {
    // Modules are called by the path below the folder that all entry points share.
    const module = project.children.find((child) => file.replace(/(\/index)?\.ts$/, '').endsWith(`/${child.name}`))
    const members = module.children.map((child) => describe(child, `${name}: ${child.name}`, incomplete))
    const groups = GROUPS.map(([title, kinds]) => [title, members.filter(({ kind }) => kind & kinds)]).filter(([, own]) => own.length > 0)
    const sections = groups.map(([title, own]) => `### ${title}\n\n${own.map(({ text }) => text).join('\n')}`)
    return `## \`${name}\`\n\n${about}\n\n${sections.join('\n')}`
  })
  const intro = `# API reference

Generated from the docstrings (\`npm run docs\`). The examples run in the tests. In an example, \`scratch\` is an empty folder, and all names
of the packages are imported.

\`dunelight/host\` and \`@dunelight/node/host\` are for Dunelight's own packages and change without notice.

`
  return { page: `${intro}${modules.join('\n')}`, incomplete }
}

function describe(exported, label, incomplete) {
  let target = exported
  while (target.isReference()) target = target.getTargetReflectionDeep()
  const signature = target.signatures?.[0]
  const comment = signature?.comment ?? target.comment
  const need = (present, what) => present || incomplete.push(`${label} has no ${what}`)
  need(comment?.summary.length > 0, 'docstring')
  const parts = [`#### \`${exported.name}\`\n`, `${words(comment?.summary)}\n`]
  if (signature) parts.push(...call(exported.name, signature, comment, need))
  else if (target.kindOf(ReflectionKind.Interface | ReflectionKind.Class)) parts.push(...members(target))
  else if (target.kindOf(ReflectionKind.TypeAlias)) parts.push(code(`type ${exported.name} = ${oneLine(target.type)}`))
  for (const tag of comment?.blockTags.filter(({ tag }) => tag === '@throws') ?? []) parts.push(`Throws ${words(tag.content)}\n`)
  const examples = comment?.blockTags.filter(({ tag }) => tag === '@example') ?? []
  if (!target.kindOf(ReflectionKind.Interface | ReflectionKind.TypeAlias)) need(examples.length > 0, 'example')
  for (const { content } of examples) parts.push(code(words(content).replaceAll(/^```ts\n|\n```$/g, '')))
  return { kind: target.kind, text: parts.join('\n') }
}

function call(name, signature, comment, need) {
  const all = signature.parameters ?? []
  const list = all.map((p) => `${label(p)}${p.flags.isOptional || p.defaultValue !== undefined ? '?' : ''}: ${oneLine(p.type)}`)
  const rows = all.map((p) => {
    need(p.comment, `@param ${p.name}`)
    return `- \`${label(p)}\`: ${words(p.comment?.summary)}`
  })
  const options = comment?.blockTags.filter(({ tag, name: of }) => tag === '@param' && of?.includes('.')) ?? []
  const returns = comment?.blockTags.find(({ tag }) => tag === '@returns')
  need(returns, '@returns')
  return [
    code(`${name}(${list.join(', ')}): ${oneLine(signature.type)}`),
    ...(rows.length + options.length > 0
      ? [`${[...rows, ...options.map((tag) => `- \`${tag.name}\`: ${words(tag.content)}`)].join('\n')}\n`]
      : []),
    `Returns: ${words(returns?.content)}\n`,
  ]
}

/** A table of what an interface or a class has. */
function members(target) {
  const rows = (target.children ?? [])
    .filter((child) => !child.flags.isInherited && !child.flags.isPrivate && child.name !== 'constructor')
    .map((child) => {
      const signature = child.signatures?.[0] ?? child.getSignature
      const type = child.signatures
        ? `(${(signature.parameters ?? []).map((p) => `${label(p)}: ${oneLine(p.type)}`).join(', ')}) => ${oneLine(signature.type)}`
        : oneLine(child.type ?? signature?.type)
      const about = words((signature?.comment ?? child.comment)?.summary)
      return `| \`${child.name}${child.flags.isOptional ? '?' : ''}\` | \`${cell(type)}\` | ${cell(about)} |`
    })
  return rows.length === 0 ? [] : [`| name | type | meaning |\n|---|---|---|\n${rows.join('\n')}\n`]
}

const label = (parameter) => (parameter.name === '__namedParameters' ? 'options' : parameter.name)
const words = (parts) =>
  (parts ?? [])
    .map(({ text }) => text)
    .join('')
    .trim()
const cell = (text) => text.replaceAll('|', '\\|').replaceAll('\n', ' ')
const code = (text) => `\`\`\`ts\n${text}\n\`\`\`\n`

/** A type on one line; long object types are cut. */
function oneLine(type) {
  const text = String(type).replaceAll(/\s+/g, ' ')
  return text.length > 160 ? `${text.slice(0, 159)}…` : text
}
