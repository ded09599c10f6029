import type { ShotDetail } from '@ivrex/contract';
import type { ShutterPlan } from '@ivrex/core';
import { useRef, type PointerEvent } from 'react';
import { ContactSheet } from './ContactSheet';
import { DirectionLegend } from './DirectionLegend';
import { onPicture, zoomAt } from './placement';
import { Probes } from './Probes';
import { isViewNeutral, useView } from './view-store';
import { usePictureCanvas } from './use-picture-canvas';

const GRAB_PX = 9;

/** The picture: pan by drag, zoom at the pointer by wheel, and what the artist asked to see over it. */
export function Viewer({ detail, shutter }: { detail: ShotDetail; shutter: ShutterPlan }) {
  const { canvas, overlay, scene } = usePictureCanvas(detail, shutter);
  const grabbed = useRef<'wipe' | 'pan' | null>(null),
    pressed = useRef<{ x: number; y: number } | null>(null);
  const isContact = useView((s) => s.look === 'contact');
  const set = useView((s) => s.set);
  const neutral = useView(isViewNeutral);
  const pointAt = (event: { clientX: number; clientY: number }) => {
    const box = canvas.current?.getBoundingClientRect();
    return { x: (event.clientX - (box?.left ?? 0)) * scene.ratio, y: (event.clientY - (box?.top ?? 0)) * scene.ratio };
  };
  const down = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    const at = pointAt(event),
      { look, wipe } = useView.getState();
    pressed.current = at;
    const edge = scene.placement.x + wipe * scene.width * scene.placement.zoom;
    grabbed.current = look === 'wipe' && Math.abs(at.x - edge) < GRAB_PX * scene.ratio ? 'wipe' : 'pan';
  };
  const move = (event: PointerEvent<HTMLDivElement>) => {
    const at = pointAt(event),
      p = onPicture(scene.placement, at);
    const inside = p.x >= 0 && p.y >= 0 && p.x < scene.width && p.y < scene.height;
    set({ pointer: inside ? { x: Math.floor(p.x), y: Math.floor(p.y) } : null });
    if (grabbed.current === 'wipe') set({ wipe: Math.min(1, Math.max(0, p.x / scene.width)) });
    else if (grabbed.current === 'pan')
      set({
        placement: {
          ...scene.placement,
          x: scene.placement.x + event.movementX * scene.ratio,
          y: scene.placement.y + event.movementY * scene.ratio,
        },
      });
  };
  return (
    <div
      className="picture"
      data-testid="picture"
      role="img"
      aria-label={`Frame ${scene.frame} of ${detail.shot.name}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={(event) => {
        grabbed.current = null;
        // A press that does not move is a click on the picture.
        const at = pointAt(event),
          from = pressed.current,
          { pointer, clicked } = useView.getState();
        if (from !== null && pointer !== null && Math.hypot(at.x - from.x, at.y - from.y) < 3 * scene.ratio)
          set({ clicked: { ...pointer, count: (clicked?.count ?? 0) + 1 } });
        pressed.current = null;
      }}
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
