import { defined } from 'dunelight/host'
import '@mantine/core/styles.css'
import './page.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { createRoot } from 'react-dom/client'
import { Bench } from './state/bench.js'
import { Service } from './state/service.js'
import { Workbench } from './views/workbench.js'

const theme = createTheme({
  primaryColor: 'cyan',
  primaryShade: 9,
  fontFamily: '"Noto Sans", "DejaVu Sans", system-ui, sans-serif',
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'xs',
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '18px' },
})

const opening = Bench.open(new Service(location.hash.slice(1)))
declare global {
  interface Window {
    /** For measuring in the page. */
    bench?: Bench
  }
}
void opening.then((bench) => (window.bench = bench)).catch(() => undefined)

createRoot(defined(document.getElementById('bench'))).render(
  <MantineProvider theme={theme} defaultColorScheme="auto">
    <Workbench opening={opening} />
  </MantineProvider>,
)
