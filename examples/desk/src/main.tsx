import { defined } from 'dunelight/host'
import '@mantine/core/styles.css'
import './page.css'
import { MantineProvider } from '@mantine/core'
import { theme } from '@dunelight/look/theme'
import { createRoot } from 'react-dom/client'
import { Desk } from './state/desk.js'
import { Service } from './state/service.js'
import { DeskPage } from './views/desk-page.js'

const opening = Desk.open(new Service(location.hash.slice(1)))
declare global {
  interface Window {
    /** For measuring in the page. */
    desk?: Desk
  }
}
void opening.then((desk) => (window.desk = desk)).catch(() => undefined)

createRoot(defined(document.getElementById('desk'))).render(
  <MantineProvider theme={theme} defaultColorScheme="auto">
    <DeskPage opening={opening} />
  </MantineProvider>,
)
