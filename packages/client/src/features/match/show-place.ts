import { useView, type Point } from '../../viewer/view-store';

const CLOSE_ZOOM = 4;

/** Brings a pixel to the middle of the canvas, close, with a pin on it. */
export function showPlace({ x, y }: Point): void {
  const canvas = document.querySelector<HTMLCanvasElement>('[data-testid="picture-canvas"]');
  const { placement, pins, set } = useView.getState();
  if (canvas === null) return;
  const zoom = Math.max(CLOSE_ZOOM * (window.devicePixelRatio || 1), placement?.zoom ?? 0);
  set({
    placement: { zoom, x: canvas.width / 2 - (x + 0.5) * zoom, y: canvas.height / 2 - (y + 0.5) * zoom },
    pins: [...pins.filter((p) => p.x !== x || p.y !== y), { x, y }].slice(-6),
  });
}
