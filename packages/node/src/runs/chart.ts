import { BarChart, type BarSeriesOption } from 'echarts/charts'
import { GridComponent, type GridComponentOption } from 'echarts/components'
import { init, use, type ComposeOption } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'

use([BarChart, GridComponent, SVGRenderer])

/** Counts by label or by range, drawn in a report as bars. */
export interface Chart {
  /** What the labels are, such as "label", and what the bars count, such as "records". */
  readonly of: string
  readonly unit: string
  readonly labels: readonly string[]
  readonly counts: readonly number[]
  /** Bars upright, in the order of a scale, instead of lying below each other. */
  readonly isScale?: boolean
}

/** Pixels of a chart; a page may show it narrower. */
const WIDTH = 560
const HEIGHT = { bar: 26, base: 12, scale: 220 }
const LONGEST_LABEL = 28

/** A chart as SVG to place in a page. Its colours are the custom properties of the page's style, so that they follow light and dark mode. */
export function drawChart(chart: Chart): string {
  const height = chart.isScale ? HEIGHT.scale : HEIGHT.base + HEIGHT.bar * chart.labels.length
  const drawing = init(null, null, { renderer: 'svg', ssr: true, width: WIDTH, height })
  drawing.setOption(optionOf(chart))
  const svg = drawing.renderToSVGString()
  drawing.dispose()
  return responsive(svg)
}

/** The page's own colours. */
const [BAR, INK, LINE] = ['var(--bar)', 'var(--ink)', 'var(--line)']

type Option = ComposeOption<BarSeriesOption | GridComponentOption>

function optionOf({ labels, counts, isScale = false, unit }: Chart): Option {
  const names = labels.map((label) => (label.length > LONGEST_LABEL ? `${label.slice(0, LONGEST_LABEL - 1)}…` : label))
  const category = { type: 'category' as const, axisTick: { show: false }, axisLine: { lineStyle: { color: LINE } } }
  const text = { color: INK, fontFamily: 'inherit', fontSize: 12 }
  const value = {
    type: 'value' as const,
    minInterval: 1,
    axisLabel: { ...text, show: isScale },
    splitLine: { show: isScale, lineStyle: { color: LINE } },
  }
  const bars = {
    type: 'bar' as const,
    data: [...counts],
    itemStyle: { color: BAR },
    // Without hover styles the library need not compute colours.
    silent: true,
    emphasis: { disabled: true },
    barMaxWidth: 40,
    barCategoryGap: '25%',
    animation: false,
  }
  if (isScale)
    return {
      grid: { left: 8, right: 8, top: 24, bottom: 4, outerBoundsMode: 'same', outerBoundsContain: 'axisLabel' },
      xAxis: { ...category, data: names, axisLabel: { ...text, hideOverlap: true } },
      yAxis: { ...value, name: unit, nameTextStyle: text },
      series: [bars],
    }
  return {
    grid: { left: 4, right: 56, top: 2, bottom: 2, outerBoundsMode: 'same', outerBoundsContain: 'axisLabel' },
    // The first label is the topmost.
    yAxis: { ...category, data: names, inverse: true, axisLabel: text },
    xAxis: value,
    series: [{ ...bars, label: { show: true, position: 'right', ...text } }],
  }
}

/** The library sets a fixed size; a page sets its own. */
function responsive(svg: string): string {
  return svg.replace(/^<svg width="(\d+)" height="(\d+)"/, '<svg role="img" class="chart"')
}
