import { defined } from 'dunelight/host'
import '@mantine/core/styles.css'
import './desk.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { Desk } from './desk.js'

const theme = createTheme({
  primaryColor: 'teal',
  fontFamily: 'Georgia, "DejaVu Serif", serif',
  headings: { fontFamily: 'Georgia, "DejaVu Serif", serif' },
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'sm',
})

createRoot(defined(document.getElementById('desk'))).render(
  <StrictMode>
    <MantineProvider theme={theme}>
      <Desk />
    </MantineProvider>
  </StrictMode>,
)
