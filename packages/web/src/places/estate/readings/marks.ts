import type { Chart, Plugin } from 'chart.js'
import type { SeriesMarks } from '#contract'
import type { Millis } from '#core'

type Css = (name: string) => string

/** Widths of what is drawn, in pixels. */
const tick = 7
const gap = 5

function eachLevel({ ctx, scales, chartArea }: Chart, { levels }: SeriesMarks, css: Css): void {
  const [x, y] = [scales.x!, scales.y!]
  for (const { severity, value, from, until } of levels) {
    const height = y.getPixelForValue(value)
    if (height < chartArea.top || height > chartArea.bottom) continue
    const left = Math.max(chartArea.left, x.getPixelForValue(from))
    const right = Math.min(chartArea.right, x.getPixelForValue(until))
    ctx.strokeStyle = css(`--${severity}`)
    ctx.setLineDash([6, 3])
    ctx.beginPath()
    ctx.moveTo(left, height)
    ctx.lineTo(right, height)
    // Where it was changed the step goes on at another height.
    if (right < chartArea.right) ctx.lineTo(right, height + 4)
    ctx.stroke()
  }
  ctx.setLineDash([])
}

/** What lasts is a bar at the top of the field, in the colour of what it is; those about this very series are thick. */
function bar(
  { ctx, scales, chartArea }: Chart,
  from: Millis,
  until: Millis,
  top: number,
  height: number,
  colour: string,
) {
  const x = scales.x!
  const left = Math.max(chartArea.left, x.getPixelForValue(from))
  const right = Math.min(chartArea.right, x.getPixelForValue(until))
  if (right < chartArea.left || left > chartArea.right) return
  ctx.fillStyle = colour
  ctx.fillRect(left, top, Math.max(2, right - left), height)
}

/**
 * Draws beside the readings of a chart what happened meanwhile: levels as lines that step, windows as shaded times,
 * alerts as bars along the top, restarts and updates as ticks at the foot.
 */
export const marksPlugin = (marks: () => SeriesMarks | null, css: Css): Plugin<'line'> => ({
  id: 'marks',
  beforeDatasetsDraw(chart) {
    const found = marks()
    if (!found) return
    const { ctx, chartArea } = chart
    const until = chart.scales.x!.max
    ctx.save()
    for (const window of found.windows) {
      ctx.globalAlpha = 0.13
      bar(chart, window.from, window.until ?? until, chartArea.top, chartArea.bottom - chartArea.top, css('--held'))
    }
    ctx.restore()
  },
  afterDatasetsDraw(chart) {
    const found = marks()
    if (!found) return
    const { ctx, chartArea, scales } = chart
    ctx.save()
    eachLevel(chart, found, css)
    for (const { from, until, severity, isOfSeries } of found.alerts) {
      ctx.globalAlpha = isOfSeries ? 1 : 0.35
      const [top, height] = isOfSeries ? [chartArea.top, 5] : [chartArea.top + 7, 2]
      bar(chart, from, until ?? scales.x!.max, top, height, css(`--${severity}`))
    }
    ctx.globalAlpha = 1
    for (const [times, colour, foot] of [
      [found.restarts, css('--ink'), 0],
      [found.updates.map(({ at }) => at), css('--act'), tick + gap],
    ] as const)
      for (const at of times) bar(chart, at, at, chartArea.bottom - foot - tick, tick, colour)
    ctx.restore()
  },
})
