import { useLayoutEffect, useState, type RefObject } from 'react';

export interface CanvasSize {
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
}

/** Canvases as large as what holds the first of them, in the screen's own pixels. */
export function useCanvasSize(...canvases: RefObject<HTMLCanvasElement | null>[]): CanvasSize {
  const [size, setSize] = useState<CanvasSize>({ width: 0, height: 0, ratio: 1 });
  const first = canvases[0];
  useLayoutEffect(() => {
    const parent = first.current?.parentElement;
    if (!parent) return;
    const measure = () => {
      const ratio = window.devicePixelRatio || 1;
      setSize({ width: Math.round(parent.clientWidth * ratio), height: Math.round(parent.clientHeight * ratio), ratio });
    };
    const observer = new ResizeObserver(measure);
    observer.observe(parent);
    measure();
    return () => observer.disconnect();
  }, [first]);
  useLayoutEffect(() => {
    for (const { current } of canvases) {
      if (current !== null && (current.width !== size.width || current.height !== size.height))
        Object.assign(current, { width: size.width, height: size.height });
    }
  });
  return size;
}
