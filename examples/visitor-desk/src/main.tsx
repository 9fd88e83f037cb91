import '@mantine/core/styles.css'
import './visitor-desk.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { createRoot } from 'react-dom/client'
import { VisitorDesk } from './visitor-desk.js'

const theme = createTheme({
  primaryColor: 'cyan',
  primaryShade: 9,
  fontFamily: '"Noto Sans", "DejaVu Sans", system-ui, sans-serif',
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'xs',
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '18px' },
})

const root = document.getElementById('visitor-desk')
if (root)
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <VisitorDesk />
    </MantineProvider>,
  )
