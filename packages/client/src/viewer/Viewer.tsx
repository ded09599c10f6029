import type { ShotDetail } from '@ivrex/contract';
import type { ShutterPlan } from '@ivrex/core';
import { useRef, type PointerEvent } from 'react';
import { ContactSheet } from './ContactSheet';
import { DirectionLegend } from './DirectionLegend';
import { EDGE_HANDLE_PX } from './overlay';
import { onPicture, zoomAt } from './placement';
import { Probes } from './Probes';
import { isViewNeutral, useView, type Point } from './view-store';
import { usePictureCanvas, type Scene } from './use-picture-canvas';

const GRAB_PX = 9;

type Grab = 'wipe' | 'edge' | 'turn' | 'pan' | 'draw';

/** What lies under the pointer when it is pressed. */
function grabAt(at: Point, { placement, width, height, ratio }: Scene): Grab {
  const { look, wipe, compare } = useView.getState();
  if (look === 'wipe') return Math.abs(at.x - placement.x - wipe * width * placement.zoom) < GRAB_PX * ratio ? 'wipe' : 'pan';
  if (look !== 'compare' || compare.way !== 'wipe') return 'pan';
  const { x, y, angleDeg } = compare.edge,
    dx = at.x - placement.x - x * width * placement.zoom,
    dy = at.y - placement.y - y * height * placement.zoom,
    toX = Math.cos((angleDeg * Math.PI) / 180),
    toY = Math.sin((angleDeg * Math.PI) / 180);
  if (Math.hypot(dx - toX * EDGE_HANDLE_PX * ratio, dy - toY * EDGE_HANDLE_PX * ratio) < 1.5 * GRAB_PX * ratio) return 'turn';
  return Math.abs(dx * toX + dy * toY) < GRAB_PX * ratio ? 'edge' : 'pan';
}

/** Where the edge points to, towards the pointer; with Shift in steps of 15 degrees. */
function turnOf(edge: { x: number; y: number }, p: Point, { width, height }: Scene, inSteps: boolean): number {
  const angle = (Math.atan2(p.y - edge.y * height, p.x - edge.x * width) * 180) / Math.PI;
  return inSteps ? Math.round(angle / 15) * 15 : Math.round(angle * 10) / 10;
}

/** A line along a streak is handed on; a region is counted from now on. */
function finishDrawing(): void {
  const { draws, drawn, compare, streakLine } = useView.getState();
  useView.setState({ draws: null, drawn: null });
  if (drawn === null) return;
  if (draws === 'streak') useView.setState({ streakLine: { ...drawn, count: (streakLine?.count ?? 0) + 1 } });
  if (draws !== 'region' && draws !== 'grain') return;
  const region = {
    x0: Math.min(drawn.x0, drawn.x1),
    y0: Math.min(drawn.y0, drawn.y1),
    x1: Math.max(drawn.x0, drawn.x1),
    y1: Math.max(drawn.y0, drawn.y1),
  };
  if (region.x1 - region.x0 < 1 || region.y1 - region.y0 < 1) return;
  if (draws === 'grain') useView.setState((s) => ({ grainBox: { ...region, count: (s.grainBox?.count ?? 0) + 1 } }));
  else useView.setState({ compare: { ...compare, scope: 'region', region } });
}

/** The picture: pan by drag, zoom at the pointer by wheel, and what the artist asked to see over it. */
export function Viewer({ detail, shutter }: { detail: ShotDetail; shutter: ShutterPlan }) {
  const { canvas, overlay, scene } = usePictureCanvas(detail, shutter);
  const grabbed = useRef<Grab | null>(null),
    pressed = useRef<{ x: number; y: number } | null>(null);
  const isContact = useView((s) => s.look === 'contact'),
    draws = useView((s) => s.draws);
  const set = useView((s) => s.set);
  const neutral = useView(isViewNeutral);
  const pointAt = (event: { clientX: number; clientY: number }) => {
    const box = canvas.current?.getBoundingClientRect();
    return { x: (event.clientX - (box?.left ?? 0)) * scene.ratio, y: (event.clientY - (box?.top ?? 0)) * scene.ratio };
  };
  /** The place in the picture; beside each other it is seen twice. */
  const placeAt = (at: { x: number; y: number }) => {
    const { look, compare } = useView.getState(),
      width = canvas.current?.width ?? 0;
    const shift = look === 'compare' && compare.way === 'beside' ? (at.x > width / 2 ? -width / 4 : width / 4) : 0;
    return onPicture(scene.placement, { x: at.x + shift, y: at.y });
  };
  const down = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    const at = pointAt(event);
    pressed.current = at;
    if (draws !== null) {
      const p = placeAt(at);
      grabbed.current = 'draw';
      set({ drawn: { x0: p.x, y0: p.y, x1: p.x, y1: p.y } });
    } else grabbed.current = grabAt(at, scene);
  };
  const move = (event: PointerEvent<HTMLDivElement>) => {
    const at = pointAt(event),
      p = placeAt(at);
    const inside = p.x >= 0 && p.y >= 0 && p.x < scene.width && p.y < scene.height;
    set({ pointer: inside ? { x: Math.floor(p.x), y: Math.floor(p.y) } : null });
    const { compare, drawn } = useView.getState();
    const share = (v: number) => Math.min(1, Math.max(0, v));
    switch (grabbed.current) {
      case 'wipe':
        return set({ wipe: share(p.x / scene.width) });
      case 'edge':
        return set({ compare: { ...compare, edge: { ...compare.edge, x: share(p.x / scene.width), y: share(p.y / scene.height) } } });
      case 'turn': {
        const angleDeg = turnOf(compare.edge, p, scene, event.shiftKey);
        return set({ compare: { ...compare, edge: { ...compare.edge, angleDeg } } });
      }
      case 'draw':
        return set({ drawn: drawn && { ...drawn, x1: p.x, y1: p.y } });
      case 'pan':
        return set({
          placement: {
            ...scene.placement,
            x: scene.placement.x + event.movementX * scene.ratio,
            y: scene.placement.y + event.movementY * scene.ratio,
          },
        });
      case null:
    }
  };
  const up = (event: PointerEvent<HTMLDivElement>) => {
    const wasDrawing = grabbed.current === 'draw';
    grabbed.current = null;
    if (wasDrawing) return finishDrawing();
    // A press that does not move is a click on the picture.
    const at = pointAt(event),
      from = pressed.current,
      { pointer, clicked } = useView.getState();
    if (from !== null && pointer !== null && Math.hypot(at.x - from.x, at.y - from.y) < 3 * scene.ratio)
      set({ clicked: { ...pointer, count: (clicked?.count ?? 0) + 1 } });
    pressed.current = null;
  };
  return (
    <div
      className={draws === null ? 'picture' : 'picture drawing'}
      data-testid="picture"
      role="img"
      aria-label={`Frame ${scene.frame} of ${detail.shot.name}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerLeave={() => set({ pointer: null })}
      onWheel={(event) => set({ placement: zoomAt(scene.placement, pointAt(event), Math.exp(-event.deltaY / 320)) })}
    >
      <canvas ref={canvas} data-testid="picture-canvas" />
      <canvas ref={overlay} />
      {isContact && <ContactSheet detail={detail} />}
      <ViewerNote note={scene.note} neutral={neutral} />
      {!isContact && <Probes motionPass={detail.settings.elements[0].motion} beauty={scene.beauty} />}
      {scene.showsDirections && <DirectionLegend peak={scene.peak} />}
      {scene.message !== null && !isContact && (
        <div className="message">
          <div role="status">{scene.message}</div>
        </div>
      )}
    </div>
  );
}

function ViewerNote({ note, neutral }: { note: string | null; neutral: boolean }) {
  const parts = [note, neutral ? null : 'view adjusted: not the picture as it is'].filter((part) => part !== null);
  return parts.length === 0 ? null : (
    <div className="note" data-testid="viewer-note">
      {parts.join('  ·  ')}
    </div>
  );
}
