import { defined } from 'dunelight/host'
import '@mantine/core/styles.css'
import './label-page.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { LabelPage } from './label-page.js'

const theme = createTheme({
  primaryColor: 'teal',
  fontFamily: 'Georgia, "DejaVu Serif", serif',
  headings: { fontFamily: 'Georgia, "DejaVu Serif", serif' },
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'sm',
})

createRoot(defined(document.getElementById('label-page'))).render(
  <StrictMode>
    <MantineProvider theme={theme}>
      <LabelPage />
    </MantineProvider>
  </StrictMode>,
)
