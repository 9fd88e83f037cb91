import { Alert, Badge, Button, Group, NavLink, PasswordInput, ScrollArea, Stack, Text, TextInput, Title } from '@mantine/core'
import { Refusal } from '@dunelight/client'
import type { ListedPrompt } from '@dunelight/serve'
import { matches } from '@dunelight/serve/search'
import { useEffect, useState } from 'react'
import { PromptPage } from './prompt-page.js'
import { promptList, signIn, signOut, whoCalls, type PageCaller } from './service.js'

/** The catalogue of a service: what it has, and one prompt to try. The prompt is named behind the #. */
export function Catalogue() {
  const [caller, setCaller] = useState<PageCaller | 'unknown'>()
  const [fault, setFault] = useState<string>()
  const look = () => {
    whoCalls().then(setCaller, (thrown: unknown) => {
      if (thrown instanceof Refusal && thrown.status === 401) setCaller('unknown')
      else setFault(thrown instanceof Error ? thrown.message : 'the service does not answer')
    })
  }
  useEffect(look, [])
  if (fault !== undefined) return <Alert color="red" m="md" title="The service cannot be used now" children={fault} />
  if (caller === undefined) return null
  return caller === 'unknown' ? <SignIn onDone={look} /> : <Prompts caller={caller} />
}

function SignIn({ onDone }: { readonly onDone: () => void }) {
  const [token, setToken] = useState('')
  const [fault, setFault] = useState<string>()
  return (
    <form
      className="sign-in"
      onSubmit={(event) => {
        event.preventDefault()
        signIn(token.trim()).then(onDone, (thrown: unknown) => setFault(thrown instanceof Error ? thrown.message : 'failed'))
      }}
    >
      <Stack>
        <Title order={1} size="h3">
          Prompts
        </Title>
        <PasswordInput
          label="Token"
          description="The command that serves the library prints one; dunelight caller add makes one."
          value={token}
          error={fault}
          autoFocus
          onChange={(event) => setToken(event.currentTarget.value)}
        />
        <Button type="submit" disabled={token.trim() === ''}>
          Sign in
        </Button>
      </Stack>
    </form>
  )
}

function Prompts({ caller }: { readonly caller: PageCaller }) {
  const [prompts, setPrompts] = useState<readonly ListedPrompt[]>([])
  const [search, setSearch] = useState('')
  const [tag, setTag] = useState<string>()
  const [chosen, setChosen] = useState(() => decodeURIComponent(location.hash.slice(1)))
  useEffect(() => {
    void promptList().then(setPrompts)
    const follow = () => setChosen(decodeURIComponent(location.hash.slice(1)))
    addEventListener('hashchange', follow)
    return () => removeEventListener('hashchange', follow)
  }, [])
  const tags = [...new Set(prompts.flatMap((prompt) => prompt.tags))].sort()
  const found = prompts.filter((prompt) => matches(prompt, { q: search, ...(tag !== undefined && { tag }) }))
  const name = prompts.some((prompt) => prompt.name === chosen) ? chosen : found[0]?.name
  return (
    <div className="catalogue">
      <header className="bar">
        <Title order={1} size="h4">
          {caller.title}
        </Title>
        <Badge variant="light" tt="none" color={caller.serves === 'editions' ? 'cyan' : 'orange'}>
          {caller.serves === 'editions' ? `editions: ${caller.channels.join(', ') || 'default channel'}` : 'working files, for development'}
        </Badge>
        <span className="gap" />
        <a href="/reference/">Reference</a>
        <Text size="sm" c="dimmed">
          {caller.caller}
        </Text>
        <Button size="compact-sm" variant="default" onClick={() => void signOut().then(() => location.reload())}>
          Sign out
        </Button>
      </header>
      <nav className="list" aria-label="Prompts">
        <Stack gap="xs" p="sm">
          <TextInput
            aria-label="Search prompts"
            placeholder="Search"
            value={search}
            onChange={(event) => setSearch(event.currentTarget.value)}
          />
          <Group gap={4}>
            {tags.map((item) => (
              <Button
                key={item}
                size="compact-xs"
                variant={item === tag ? 'filled' : 'default'}
                aria-pressed={item === tag}
                onClick={() => setTag(item === tag ? undefined : item)}
              >
                {item}
              </Button>
            ))}
          </Group>
        </Stack>
        <ScrollArea className="found">
          {found.map((prompt) => (
            <NavLink
              key={prompt.name}
              href={`#${encodeURIComponent(prompt.name)}`}
              active={prompt.name === name}
              label={prompt.title}
              description={prompt.edition === undefined ? prompt.name : `${prompt.name} · edition ${prompt.edition}`}
            />
          ))}
          {found.length === 0 && (
            <Text p="sm" c="dimmed">
              {prompts.length === 0 ? 'You may use no prompt yet.' : 'Nothing fits the search.'}
            </Text>
          )}
        </ScrollArea>
      </nav>
      <main>{name !== undefined && <PromptPage key={name} name={name} mayAsk={caller.operations.includes('ask')} />}</main>
    </div>
  )
}
