import { Alert, Badge, Button, NavLink, PasswordInput, Stack, Text, TextInput, Title } from '@mantine/core'
import { useEffect, useState } from 'react'
import { connectTo, type Connection } from './prompts.js'
import { SlipPage } from './slip-page.js'
import { SLIPS } from './slips.js'

/** The front desk of the museum: slips of visitors, and answers to them. Its prompts are those of a service; it has none itself. */
export function VisitorDesk() {
  const [connection, setConnection] = useState<Connection>()
  return connection ? <Desk connection={connection} /> : <SignIn onConnected={setConnection} />
}

function SignIn({ onConnected }: { readonly onConnected: (connection: Connection) => void }) {
  const [url, setUrl] = useState('http://127.0.0.1:7120')
  const [token, setToken] = useState('')
  const [fault, setFault] = useState<string>()
  return (
    <form
      className="sign-in"
      onSubmit={(event) => {
        event.preventDefault()
        connectTo(url, token.trim()).then(onConnected, (thrown: unknown) => setFault(thrown instanceof Error ? thrown.message : 'failed'))
      }}
    >
      <Stack>
        <Title order={1} size="h3">
          Front desk
        </Title>
        <TextInput label="Service" value={url} onChange={(event) => setUrl(event.currentTarget.value)} />
        <PasswordInput label="Token" value={token} autoFocus onChange={(event) => setToken(event.currentTarget.value)} />
        {fault !== undefined && <Alert color="red">{fault}</Alert>}
        <Button type="submit">Open the desk</Button>
      </Stack>
    </form>
  )
}

function Desk({ connection }: { readonly connection: Connection }) {
  const { own } = connection
  const [chosen, setChosen] = useState(SLIPS[0])
  const [changes, setChanges] = useState(0)
  useEffect(() => own.onChange(() => setChanges((count) => count + 1)), [own])
  return (
    <div className="desk">
      <header className="bar">
        <Title order={1} size="h4">
          Front desk
        </Title>
        <Text c="dimmed">Marram House</Text>
        <span className="gap" />
        {changes > 0 && (
          <Badge color="cyan" tt="none" role="status">
            {changes === 1 ? 'the wording changed while you worked' : `the wording changed ${changes} times while you worked`}
          </Badge>
        )}
      </header>
      <nav aria-label="Slips">
        {SLIPS.map((slip) => (
          <NavLink
            key={slip.no}
            active={slip.no === chosen?.no}
            label={slip.question}
            description={`${slip.no} · to the ${slip.to}`}
            classNames={{ label: 'question' }}
            onClick={() => setChosen(slip)}
          />
        ))}
      </nav>
      <main>{chosen && <SlipPage key={chosen.no} slip={chosen} connection={connection} changes={changes} />}</main>
    </div>
  )
}
