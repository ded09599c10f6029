import { halfToNumber } from '@ivrex/core';
import type { PassId, Raster } from '@ivrex/contract';
import { CloseOutlined } from '@ant-design/icons';
import { rasterOf, useRaster } from './use-raster';
import { useView, type Point } from './view-store';

/** Raw and decoded values under the pointer and at the pinned places. */
export function Probes({ motionPass, beauty }: { motionPass: PassId | null; beauty: Raster | null }) {
  const pointer = useView((s) => s.pointer),
    pins = useView((s) => s.pins),
    frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  const motion = rasterOf(useRaster(motionPass, frame, 'planes'));
  // A press here is not a grab of the picture, which would take the pointer away from the buttons.
  return (
    <div className="probes" data-testid="probes" onPointerDown={(event) => event.stopPropagation()}>
      {pins.map((pin, i) => (
        <div className="probe" key={`${pin.x},${pin.y}`}>
          <b>{i + 1}</b> <ProbeText at={pin} motion={motion} beauty={beauty} />{' '}
          <CloseOutlined
            role="button"
            aria-label={`Remove pin ${i + 1}`}
            tabIndex={0}
            onClick={() => set({ pins: pins.filter((p) => p !== pin) })}
            onKeyDown={(e) => {
              if (e.key === 'Enter') set({ pins: pins.filter((p) => p !== pin) });
            }}
          />
        </div>
      ))}
      {pointer !== null && (
        <div className="probe" data-testid="probe">
          <ProbeText at={pointer} motion={motion} beauty={beauty} />
        </div>
      )}
    </div>
  );
}

function ProbeText({ at, motion, beauty }: { at: Point; motion: Raster | null; beauty: Raster | null }) {
  const field = useView((s) => s.field);
  const colour = beauty === null ? null : valuesAt(beauty, at);
  const stored =
    motion === null ? null : motion.header.names.map((name, i) => `${name} ${number(motion.planes[i][indexAt(motion, at)])}`).join('  ');
  return (
    <>
      <span className="label">at</span>{' '}
      <b>
        {at.x}, {at.y}
      </b>
      {colour !== null && (
        <>
          {' '}
          <span className="label">RGBA</span> {colour.map((v) => v.toFixed(3)).join(' ')}
        </>
      )}
      {stored !== null && (
        <>
          <br />
          <span className="label">stored</span> {stored}
        </>
      )}
      {field !== null && (
        <>
          <br />
          <span className="label">moves</span> {motionText(field, at)}
        </>
      )}
    </>
  );
}

function indexAt(raster: Raster, at: Point): number {
  return Math.min(raster.header.height - 1, at.y) * raster.header.width + Math.min(raster.header.width - 1, at.x);
}

function valuesAt(raster: Raster, at: Point): number[] {
  const i = indexAt(raster, at) * 4;
  return [0, 1, 2, 3].map((c) => halfToNumber(raster.planes[0][i + c]));
}

function number(v: number | undefined): string {
  return v === undefined ? '-' : Number.isFinite(v) ? String(Number(v.toFixed(3))) : String(v);
}

function motionText(field: { width: number; height: number; toNext: Float32Array; valid: Uint8Array }, at: Point): string {
  const i = Math.min(field.height - 1, at.y) * field.width + Math.min(field.width - 1, at.x);
  if (field.valid[i] === 0) return 'no vector here';
  const x = field.toNext[i * 2],
    y = field.toNext[i * 2 + 1],
    speed = Math.hypot(x, y);
  if (speed < 0.005) return 'stands still';
  const words = ['right', 'down right', 'down', 'down left', 'left', 'up left', 'up', 'up right'];
  return `${x.toFixed(2)}, ${y.toFixed(2)} px  ·  ${speed.toFixed(2)} px a frame, ${words[(Math.round(Math.atan2(y, x) / (Math.PI / 4)) + 8) % 8]}`;
}
