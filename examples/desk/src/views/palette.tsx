import { Modal, TextInput } from '@mantine/core'
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react'
import { useFocusBack } from './focus-back.js'
import './palette.css'

export interface Command {
  readonly name: string
  readonly keys?: string
  readonly run: () => void
}

interface Props {
  readonly open: boolean
  readonly commands: readonly Command[]
  readonly title?: string
  readonly placeholder?: string
  readonly onClose: () => void
}

/** All that the page can do, by its name. */
export function Palette({
  open,
  commands,
  title = 'Type a command',
  placeholder = 'a word of it: prompt, save, persona …',
  onClose,
}: Props) {
  const [words, setWords] = useState('')
  const [position, setPosition] = useState(0)
  const list = useRef<HTMLUListElement>(null)
  const focusBack = useFocusBack(open)
  const matching = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/)
    return commands.filter(({ name }) => wanted.every((word) => name.toLowerCase().includes(word)))
  }, [commands, words])
  useEffect(() => {
    if (open) setWords('')
  }, [open])
  /** The focus goes back to where it was; a command may have one of its own. */
  const close = () => {
    onClose()
    focusBack()
  }
  useEffect(() => setPosition(0), [words, open])
  useEffect(() => {
    list.current?.children[position]?.scrollIntoView({ block: 'nearest' })
  }, [position])
  const run = (command: Command | undefined) => {
    if (!command) return
    close()
    command.run()
  }
  const key = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
    if (event.key === 'Enter') {
      // The focus goes elsewhere, and the key's own deed would be done there.
      event.preventDefault()
      run(matching[position])
    } else if (step !== undefined) {
      event.preventDefault()
      setPosition((position + step + matching.length) % Math.max(1, matching.length))
    }
  }
  return (
    <Modal
      opened={open}
      onClose={close}
      returnFocus={false}
      title={title}
      size="lg"
      yOffset={80}
      transitionProps={{ duration: 0 }}
      closeButtonProps={{ 'aria-label': 'close' }}
    >
      <TextInput
        data-autofocus
        aria-label="find a command"
        role="combobox"
        aria-expanded="true"
        aria-controls="commands"
        aria-activedescendant={matching[position] ? `command-${position}` : undefined}
        placeholder={placeholder}
        value={words}
        onChange={(event) => setWords(event.currentTarget.value)}
        onKeyDown={key}
      />
      <ul ref={list} id="commands" role="listbox" aria-label="commands" className="commands">
        {matching.map((command, i) => (
          <li key={command.name} id={`command-${i}`} role="option" aria-selected={i === position} onMouseDown={() => run(command)}>
            {command.name}
            {command.keys !== undefined && <kbd>{command.keys}</kbd>}
          </li>
        ))}
      </ul>
      {matching.length === 0 && <p className="empty">No matching command.</p>}
    </Modal>
  )
}
