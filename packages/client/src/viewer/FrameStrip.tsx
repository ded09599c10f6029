import { CaretRightOutlined, PauseOutlined, StepBackwardOutlined, StepForwardOutlined } from '@ant-design/icons';
import type { FrameAuditRow, ShotDetail } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { useMemo, useEffect, useReducer, useRef, useState, type MouseEvent, type PointerEvent } from 'react';
import { useMatch } from 'react-router';
import { isRasterReady, onRasterReady } from '../api/raster-cache';
import { withKey, type ShutterPlan } from '@ivrex/core';
import { keyAt, strengthRange, type StripScale } from './strength-keys';
import { StrengthCurve } from './StrengthCurve';
import { keptQuality, onBlurKept } from './blur-cache';
import { blurKey } from './blur-keys';
import { useView } from './view-store';

const HEIGHT = 94,
  TOP = 16,
  BASE = 78;

interface Props {
  readonly detail: ShotDetail;
  readonly shutter: ShutterPlan;
  readonly onLiveShutter: (shutter: ShutterPlan) => void;
  readonly onShutter: (label: string, shutter: ShutterPlan) => void;
}

/** The frames as a chart: longest vector and mean speed against the range, red where a frame is missing or clips, a line under what is in memory. */
export function FrameStrip({ detail, shutter, onLiveShutter, onShutter }: Props) {
  const { firstFrame, lastFrame, fps } = detail.shot;
  const frame = useView((s) => s.frame),
    playing = useView((s) => s.playing),
    audit = useView((s) => s.audit),
    set = useView((s) => s.set);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => onRasterReady(redraw), []);
  useEffect(() => onBlurKept(redraw), []);
  const showsStrength = useMatch('/shots/:id/shutter') !== null,
    showsBlur = useView((s) => s.look === 'blurred' || s.look === 'wipe');
  const svg = useRef<SVGSVGElement>(null);
  const [width, setWidth] = useState(1000);
  useEffect(() => {
    if (svg.current === null) return;
    const observer = new ResizeObserver(([entry]) => setWidth(Math.max(1, entry.contentRect.width)));
    observer.observe(svg.current);
    return () => observer.disconnect();
  }, []);
  const count = lastFrame - firstFrame + 1;
  const beauty = detail.passes.find((p) => p.id === detail.settings.elements[0].beauty);
  const missing = new Set(beauty?.missing ?? []),
    broken = new Set(
      detail.findings.flatMap((f) => (f.severity === 'error' && f.frame !== null && f.sequenceId === beauty?.sequenceId ? [f.frame] : [])),
    );
  const range = storedRangePx(detail);
  const most = Math.max(1e-6, ...[...audit.values()].map((a) => a.peakPx));
  // The range line is drawn when it lies near the bars; far above them it would press them flat.
  const showsRange = !showsStrength && range !== null && audit.size > 0 && range < 2.2 * most;
  const top = showsRange ? Math.max(most, range * 1.04) : most;
  const scrub = (event: PointerEvent<SVGSVGElement>) => {
    if (event.type === 'pointermove' && event.buttons === 0) return;
    const box = svg.current?.getBoundingClientRect();
    if (box)
      set({
        playing: false,
        frame: Math.min(lastFrame, Math.max(firstFrame, firstFrame + Math.floor(((event.clientX - box.left) / box.width) * count))),
      });
  };
  const step = (by: number) => set({ playing: false, frame: Math.min(lastFrame, Math.max(firstFrame, frame + by)) });
  const every = Math.ceil(count / 26);
  const scale: StripScale = { firstFrame, lastFrame, frameWidth: 10, top: TOP, base: BASE };
  const addKey = (event: MouseEvent) => {
    const box = svg.current?.getBoundingClientRect();
    if (!showsStrength || !box) return;
    const key = keyAt(event, box, scale, strengthRange(shutter));
    onShutter(`Strength key at ${key.frame}`, { ...shutter, keys: withKey(shutter.keys, { ...key, way: 'smooth' }) });
  };
  const compared = useComparedFrames(detail),
    errors = useView((s) => (s.look === 'compare' ? s.compared.byFrame : NO_ERRORS));
  /** What is in memory of a frame: its blur where that is looked at. */
  const inMemory = (f: number): string => {
    if (beauty === undefined) return 'var(--line)';
    const quality = showsBlur ? keptQuality(blurKey(detail, detail.settings.elements[0], shutter, f)) : null;
    return quality === 'final'
      ? 'var(--accent)'
      : quality === 'draft'
        ? 'var(--accent-quiet)'
        : isRasterReady(beauty.id, f, 'picture')
          ? 'var(--good)'
          : 'var(--line)';
  };
  return (
    <div className="strip">
      <div className="transport">
        <div>
          <span className="frame-number" data-testid="frame-number">
            {frame}
          </span>{' '}
          <span className="quiet" title={fps === null ? 'The files do not say: 24 is taken' : 'Frames a second'}>
            {fps ?? '24?'} fps
          </span>
        </div>
        <div className="row" style={{ gap: 3, flexWrap: 'nowrap' }}>
          <Tooltip title="Frame before (Left)">
            <Button size="small" aria-label="Frame before" icon={<StepBackwardOutlined />} onClick={() => step(-1)} />
          </Tooltip>
          <Tooltip title="Play (Space)">
            <Button
              size="small"
              aria-label={playing ? 'Pause' : 'Play'}
              icon={playing ? <PauseOutlined /> : <CaretRightOutlined />}
              onClick={() => set({ playing: !playing })}
            />
          </Tooltip>
          <Tooltip title="Next frame (Right)">
            <Button size="small" aria-label="Next frame" icon={<StepForwardOutlined />} onClick={() => step(1)} />
          </Tooltip>
        </div>
        <div className="quiet">
          {audit.size > 0 && <div>top bar {most.toFixed(1)} px</div>}
          {errors.size > 0 && (
            <div>
              marks {LEAST_DB}–{MOST_DB} dB
            </div>
          )}
          {showsStrength && <div>line: strength to {strengthRange(shutter)}</div>}
        </div>
      </div>
      <svg
        ref={svg}
        viewBox={`0 0 ${count * 10} ${HEIGHT}`}
        preserveAspectRatio="none"
        onPointerDown={scrub}
        onPointerMove={scrub}
        onDoubleClick={addKey}
        role="slider"
        aria-label="Frame"
        aria-valuemin={firstFrame}
        aria-valuemax={lastFrame}
        aria-valuenow={frame}
        tabIndex={0}
      >
        {Array.from({ length: count }, (_, i) => {
          const f = firstFrame + i,
            figures = audit.get(f),
            gone = missing.has(f) || broken.has(f),
            height = (px: number) => (px / top) * (BASE - TOP),
            h = figures === undefined ? 0 : height(figures.peakPx);
          return (
            <g key={f}>
              {compared.has(f) && (
                <rect x={i * 10 + 3} y={1} width={4} height={4} fill="var(--accent)" data-testid={`compared-${f}`}>
                  <title>the compared picture has this frame</title>
                </rect>
              )}
              {errors.has(f) && (
                <rect
                  x={i * 10 + 2}
                  y={BASE - ((Math.min(MOST_DB, Math.max(LEAST_DB, errors.get(f) ?? 0)) - LEAST_DB) / (MOST_DB - LEAST_DB)) * (BASE - TOP)}
                  width={6}
                  height={3}
                  fill="var(--accent)"
                  data-testid={`error-${f}`}
                >
                  <title>{`frame ${f}: ${(errors.get(f) ?? 0).toFixed(1)} dB where B is blurred`}</title>
                </rect>
              )}
              {f === frame && <rect x={i * 10} y={0} width={10} height={HEIGHT} fill="var(--accent)" opacity={0.28} />}
              {gone ? (
                <rect x={i * 10 + 1} y={TOP} width={8} height={BASE - TOP} fill="var(--bad)" opacity={0.75} />
              ) : (
                <rect x={i * 10 + 1.5} y={BASE - h} width={7} height={h} fill="var(--text)" opacity={0.35} />
              )}
              {figures !== undefined && !gone && (
                <>
                  <rect
                    x={i * 10 + 1.5}
                    y={BASE - height(figures.meanPx)}
                    width={7}
                    height={height(figures.meanPx)}
                    fill="var(--text)"
                    opacity={0.45}
                  />
                  {figures.clipped + figures.nan + figures.inf > 0 && (
                    <rect x={i * 10 + 1.5} y={BASE - h - 5} width={7} height={4} fill="var(--bad)" data-testid={`clipped-${f}`} />
                  )}
                  <title>{wordsOf(figures)}</title>
                </>
              )}
              <rect x={i * 10 + 0.5} y={BASE + 1} width={9} height={2} fill={inMemory(f)} />
              {i % every === 0 && <Tick x={i * 10 + 5} text={String(f)} stretch={width / (count * 10)} />}
            </g>
          );
        })}
        {showsRange && (
          <line
            x1={0}
            x2={count * 10}
            y1={BASE - (range / top) * (BASE - TOP)}
            y2={BASE - (range / top) * (BASE - TOP)}
            stroke="var(--accent)"
            strokeDasharray="4 3"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {showsStrength && <StrengthCurve shutter={shutter} scale={scale} svg={svg} onLive={onLiveShutter} onCommit={onShutter} />}
      </svg>
    </div>
  );
}

/** What the marks of the strip reach over. */
const LEAST_DB = 15,
  MOST_DB = 55;
const NO_ERRORS: ReadonlyMap<number, number> = new Map();

/** Frames of the compared picture, where it has only some: there figures can be had. */
function useComparedFrames({ passes }: ShotDetail): ReadonlySet<number> {
  const pass = useView(({ look, compare: { a, b } }) =>
    look !== 'compare' ? null : b.kind === 'pass' ? b.pass : a.kind === 'pass' ? a.pass : null,
  );
  const frames = passes.find((p) => p.id === pass)?.frames ?? [];
  return useMemo(() => new Set(frames), [frames]);
}

function wordsOf(f: FrameAuditRow): string {
  const bad = [
    ...(f.clipped > 0 ? [`${f.clipped} pixels clipped`] : []),
    ...(f.nan + f.inf > 0 ? [`${f.nan + f.inf} values are NaN or infinite`] : []),
  ];
  return [
    `Frame ${f.frame}: longest vector ${f.peakPx.toFixed(2)} px, 99.9 % below ${f.p999Px.toFixed(2)} px, mean ${f.meanPx.toFixed(2)} px`,
    ...bad,
  ].join('; ');
}

/** Pixels per frame that whole numbers can hold along x under the agreed encoding; null for floats, which do not clip. */
function storedRangePx({ settings, passes }: ShotDetail): number | null {
  const [{ encoding, motion }] = settings.elements;
  const pass = passes.find((p) => p.id === motion);
  const type = pass?.channels.find((c) => c.name === encoding?.sets[0].x)?.type;
  if (encoding === null || pass === undefined || (type !== 'u8' && type !== 'u16')) return null;
  const { zero, fullScale, sets } = encoding;
  const unit = { px: 1, frameWidth: pass.width, frameSize: pass.width, halfFrame: pass.width / 2 }[fullScale.unit];
  const { from, to, unit: time } = sets[0].covers;
  if (time !== 'frames') return null;
  return (
    (Math.min(zero === 0 ? 1 : zero, 1 - zero) * Math.abs(fullScale.equals) * unit) /
    Math.abs(fullScale.stored - zero) /
    Math.abs(to - from)
  );
}

/** Text inside a stretched drawing would be stretched too: it is set back by the inverse. `stretch`: pixels of the screen a unit. */
function Tick({ x, text, stretch }: { x: number; text: string; stretch: number }) {
  return (
    <text
      x={0}
      y={0}
      transform={`translate(${x} ${HEIGHT - 3}) scale(${1 / stretch} 1)`}
      textAnchor="middle"
      fontSize={10}
      fill="var(--quiet)"
    >
      {text}
    </text>
  );
}
