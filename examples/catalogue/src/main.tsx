import '@mantine/core/styles.css'
import '@dunelight/look/look.css'
import './catalogue.css'
import { MantineProvider } from '@mantine/core'
import { theme } from '@dunelight/look/theme'
import { createRoot } from 'react-dom/client'
import { Catalogue } from './catalogue.js'

const root = document.getElementById('catalogue')
if (root)
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <Catalogue />
    </MantineProvider>,
  )
