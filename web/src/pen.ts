/**
 * A pen for lines on a canvas. Nothing is read back: asking for it keeps the canvas out of the graphics card, where
 * every piece of a line is a job of its own and a trace of thousands of pieces holds up the whole page when the
 * card is slow or is none.
 */
export function penOf(canvas: HTMLCanvasElement): CanvasRenderingContext2D | null {
  return canvas.getContext('2d', { willReadFrequently: true });
}
