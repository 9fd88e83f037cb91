import { Alert, Badge, Button, Code, Group, Loader, Tabs, Text, Title } from '@mantine/core'
import { Refusal, type RefusalDetails } from '@dunelight/client'
import { pathOf } from '@dunelight/client/host'
import type { AskResult, DescribedPrompt, TraceResult } from '@dunelight/serve'
import { useEffect, useState } from 'react'
import { Answer } from './answer.js'
import { ask, promptNamed, trace } from './service.js'
import { Turns } from './turns.js'
import { ValuesForm } from './values-form.js'

type Outcome =
  | { readonly kind: 'turns'; readonly result: TraceResult }
  | { readonly kind: 'asking'; readonly text: string }
  | { readonly kind: 'answer'; readonly result: AskResult }
  | { readonly kind: 'refused'; readonly details: RefusalDetails }

/** One prompt: what it is, a form with its values, and what comes of them. */
export function PromptPage({ name, mayAsk }: { readonly name: string; readonly mayAsk: boolean }) {
  const [prompt, setPrompt] = useState<DescribedPrompt>()
  const [values, setValues] = useState<Readonly<Record<string, unknown>>>({})
  const [outcome, setOutcome] = useState<Outcome>()
  useEffect(() => {
    void promptNamed(name).then((described) => {
      setPrompt(described)
      setValues(described.example)
    })
  }, [name])
  if (!prompt) return <Loader m="md" size="sm" />
  const refuse = (thrown: unknown) => {
    if (!(thrown instanceof Refusal)) throw thrown
    setOutcome({ kind: 'refused', details: thrown.details })
  }
  const render = () => trace(name, values).then((result) => setOutcome({ kind: 'turns', result }), refuse)
  const question = () => {
    setOutcome({ kind: 'asking', text: '' })
    return ask(name, values, (text) => setOutcome({ kind: 'asking', text })).then(
      (result) => setOutcome({ kind: 'answer', result }),
      refuse,
    )
  }
  const problems = outcome?.kind === 'refused' ? (outcome.details.problems ?? []) : []
  return (
    <div className="prompt">
      <section className="about">
        <Group gap="xs">
          <Title order={2} size="h4">
            {prompt.title}
          </Title>
          <Code>{name}</Code>
          <EditionBadge prompt={prompt} />
          {prompt.tags.map((tag) => (
            <Badge key={tag} variant="default" tt="none">
              {tag}
            </Badge>
          ))}
          {prompt.isTool && (
            <Badge variant="default" tt="none">
              tool
            </Badge>
          )}
        </Group>
        <Text>{prompt.about}</Text>
        <Published prompt={prompt} />
      </section>
      <form
        className="form"
        onSubmit={(event) => {
          event.preventDefault()
          void render()
        }}
      >
        <ValuesForm schema={prompt.variables} values={values} problems={problems} onChange={setValues} />
        <Group className="buttons">
          <Button type="submit">Render</Button>
          {mayAsk && (
            <Button variant="default" loading={outcome?.kind === 'asking'} onClick={() => void question()}>
              Ask
            </Button>
          )}
        </Group>
      </form>
      <section className="outcome" aria-live="polite" aria-label="Outcome" tabIndex={0}>
        <Tabs defaultValue="result" keepMounted={false}>
          <Tabs.List>
            <Tabs.Tab value="result">Result</Tabs.Tab>
            <Tabs.Tab value="call">Call it</Tabs.Tab>
            <Tabs.Tab value="answer">Answer</Tabs.Tab>
          </Tabs.List>
          <Tabs.Panel value="result">
            {outcome ? <Shown outcome={outcome} /> : <Text c="dimmed">Render shows the turns with their origins.</Text>}
          </Tabs.Panel>
          <Tabs.Panel value="call">
            <pre className="source">{curlOf(name, values)}</pre>
          </Tabs.Panel>
          <Tabs.Panel value="answer">
            <Text size="sm" c="dimmed">
              The JSON Schema of the answer
            </Text>
            <pre className="source">{JSON.stringify(prompt.answer, null, 2)}</pre>
          </Tabs.Panel>
        </Tabs>
      </section>
    </div>
  )
}

function Shown({ outcome }: { readonly outcome: Outcome }) {
  switch (outcome.kind) {
    case 'turns':
      return <Turns result={outcome.result} />
    case 'asking':
      return <pre className="source asking">{outcome.text === '' ? 'Asking …' : outcome.text}</pre>
    case 'answer':
      return <Answer result={outcome.result} />
    case 'refused':
      return (
        <Alert color="red" title={outcome.details.title}>
          {(outcome.details.problems ?? [{ message: outcome.details.detail, help: undefined }]).map(({ message, help }) => (
            <Text key={message} size="sm">
              {message}
              {help !== undefined && ` (${help})`}
            </Text>
          ))}
        </Alert>
      )
  }
}

function EditionBadge({ prompt: { edition } }: { readonly prompt: DescribedPrompt }) {
  return (
    <Badge variant="light" color={edition === undefined ? 'orange' : 'cyan'} tt="none">
      {edition === undefined ? 'working files' : `edition ${edition}`}
    </Badge>
  )
}

function Published({ prompt: { published } }: { readonly prompt: DescribedPrompt }) {
  if (!published) return null
  const { at, author, note, approvedBy } = published
  const approval = approvedBy && approvedBy.length > 0 ? ` · approved by ${approvedBy.join(', ')}` : ''
  return (
    <Text size="sm" c="dimmed">
      {`Published on ${at.slice(0, 10)}${author === undefined ? '' : ` by ${author}`}${note === undefined ? '' : `: ${note}`}${approval}`}
    </Text>
  )
}

function curlOf(name: string, values: unknown): string {
  const body = JSON.stringify({ values }).replaceAll("'", String.raw`'\''`)
  return [
    `curl ${location.origin}/render/${pathOf(name)} \\`,
    '  -H "Authorization: Bearer $TOKEN" -H "Content-Type: application/json" \\',
    `  -d '${body}'`,
  ].join('\n')
}
