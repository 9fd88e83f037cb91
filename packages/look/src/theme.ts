import { createTheme } from '@mantine/core'

/** The theme of the pages: one accent for what can be acted on, the system's letters. */
export const theme = createTheme({
  primaryColor: 'cyan',
  primaryShade: 9,
  fontFamily: '"Noto Sans", "DejaVu Sans", system-ui, sans-serif',
  fontFamilyMonospace: '"DejaVu Sans Mono", Menlo, Consolas, monospace',
  defaultRadius: 'xs',
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '18px' },
})
