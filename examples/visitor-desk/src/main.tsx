import '@mantine/core/styles.css'
import '@dunelight/look/look.css'
import './visitor-desk.css'
import { MantineProvider } from '@mantine/core'
import { theme } from '@dunelight/look/theme'
import { createRoot } from 'react-dom/client'
import { VisitorDesk } from './visitor-desk.js'

const root = document.getElementById('visitor-desk')
if (root)
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <VisitorDesk />
    </MantineProvider>,
  )
