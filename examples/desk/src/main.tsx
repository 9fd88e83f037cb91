import { defined } from 'dunelight/host'
import '@mantine/core/styles.css'
import './page.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { createRoot } from 'react-dom/client'
import { Desk } from './state/desk.js'
import { Service } from './state/service.js'
import { DeskPage } from './views/desk-page.js'

const theme = createTheme({
  primaryColor: 'cyan',
  primaryShade: 9,
  fontFamily: '"Noto Sans", "DejaVu Sans", system-ui, sans-serif',
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'xs',
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '18px' },
})

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
