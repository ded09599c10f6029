import { useEffect, useRef } from 'react';

/** The wheel that tells directions apart, drawn with the same formula as the picture. */
export function DirectionLegend({ peak }: { peak: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const image = context.createImageData(64, 64);
    for (let i = 0; i < 64 * 64; i++) {
      const x = (i % 64) - 31.5,
        y = Math.floor(i / 64) - 31.5,
        r = Math.hypot(x, y) / 31.5,
        turn = Math.atan2(y, x);
      [0, -2.0944, 2.0944].forEach((shift, c) => {
        const hue = 0.5 + 0.5 * Math.cos(turn + shift),
          bright = 0.25 + 0.75 * hue,
          amount = Math.sqrt(Math.min(1, r));
        image.data[i * 4 + c] = 255 * (0.13 + (bright - 0.13) * amount);
      });
      image.data[i * 4 + 3] = r <= 1 ? 255 : 0;
    }
    context.putImageData(image, 0, 0);
  }, []);
  return (
    <div className="legend">
      <canvas ref={canvas} width={64} height={64} />
      <div>rim: {peak.toFixed(1)} px a frame</div>
    </div>
  );
}
