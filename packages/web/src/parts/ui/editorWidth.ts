import type { Parameter } from '#core'

/** How wide a parameter is edited, in pixels: lines need more room than a value. */
export const editorWidth = ({ type }: Parameter, usual = 330): number => (type === 'lines' ? 640 : usual)
