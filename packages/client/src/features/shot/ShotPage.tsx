import { byFactor, factorOf, changeFocused, focusOn, shutterOf, surfaceOf, type ShotDetail } from '@ivrex/contract';
import type { ShutterPlan } from '@ivrex/core';
import { Button, Spin } from 'antd';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Group, Panel, Separator } from 'react-resizable-panels';
import { Link, Outlet, useOutletContext, useParams } from 'react-router';
import { ApiError, sentenceOf } from '../../api/request';
import { stampPasses } from '../../api/raster-cache';
import { useChangeSettings, useShot } from '../../api/shots';
import { FrameStrip } from '../../viewer/FrameStrip';
import { useAssembly } from '../../viewer/use-assembly';
import { useDisplayLut } from '../../viewer/use-display-lut';
import { useLiveBlur } from '../../viewer/use-live-blur';
import { usePeaks } from '../../viewer/use-peaks';
import { useCompareSides } from '../../viewer/use-compare-sides';
import { useResidual } from '../../viewer/use-residual';
import { usePlayback } from '../../viewer/use-playback';
import { fitPlacement, oneToOne } from '../../viewer/placement';
import { resetView, useView } from '../../viewer/view-store';
import { Viewer } from '../../viewer/Viewer';
import { ViewerBar } from '../../viewer/ViewerBar';
import { ShotBar } from './ShotBar';
import { useShotKeys } from './use-shot-keys';

/** What every step of a shot works with. */
export interface ShotContext {
  /** The shot with the element that is worked on first. */
  readonly detail: ShotDetail;
  /** The shot with its elements in their own order. */
  readonly whole: ShotDetail;
  /** Changes what `whole` shows. */
  readonly changeWhole: ReturnType<typeof useChangeSettings>;
  /** Changes what `detail` shows. */
  readonly change: ReturnType<typeof useChangeSettings>;
  /** The shutter that the picture shows: while a value is dragged it runs ahead of what is kept. */
  readonly shutter: ShutterPlan;
  readonly setLiveShutter: (shutter: ShutterPlan | null) => void;
  /** Keeps a shutter: as the element's own when it has one, else as the shot's. */
  readonly commitShutter: (label: string, shutter: ShutterPlan) => void;
}

/** What the server answered is on screen by then. */
export const ANSWER_DRAWN_MS = 30;

export function useShotContext(): ShotContext {
  return useOutletContext<ShotContext>();
}

export function ShotPage() {
  const { shotId = '' } = useParams();
  const shot = useShot(shotId);
  // What is there stays while the server is away; only without anything there is nothing to show.
  if (shot.isError && shot.data === undefined) {
    const gone = shot.error instanceof ApiError && shot.error.status !== 0;
    return (
      <div style={{ padding: 40 }}>
        <div className="empty-state" role="alert">
          <h2>{gone ? "This shot can't be opened" : 'The server is gone'}</h2>
          <div>{sentenceOf(shot.error)}</div>
          <div className="row">
            <Button onClick={() => void shot.refetch()}>Try again</Button>
            <Link to="/">All shots</Link>
          </div>
        </div>
      </div>
    );
  }
  if (shot.data === undefined)
    return (
      <div style={{ height: '100%', display: 'grid', placeContent: 'center' }}>
        <Spin description="Opening the shot" />
      </div>
    );
  return <OpenShot key={shotId} detail={shot.data} trouble={shot.isError ? sentenceOf(shot.error) : null} />;
}

/** Follows what is dragged without the page around it being drawn anew. */
function AssemblyEngine({ whole }: { whole: ShotDetail }) {
  useAssembly(whole);
  return null;
}

function OpenShot({ detail: whole, trouble }: { detail: ShotDetail; trouble: string | null }) {
  stampPasses(whole);
  const { id, name, posterFrame } = whole.shot;
  const elementId = useView((s) => s.element);
  const detail = useMemo(() => ({ ...whole, settings: focusOn(whole.settings, elementId) }), [whole, elementId]);
  const changeWhole = useChangeSettings(id);
  const change: ShotContext['change'] = (label, make) => changeWhole(label, (s) => changeFocused(s, elementId, make));
  const [live, setLiveShutter] = useState<ShutterPlan | null>(null);
  // Once all changes are kept, or one is taken back, what is kept is what is shown; until then the newest, on which the next change builds.
  const underWay = useRef(0);
  useEffect(() => {
    if (underWay.current === 0) setLiveShutter(null);
  }, [detail.state.sequence]);
  const [element] = detail.settings.elements;
  const shutter = live ?? shutterOf(detail.settings, element);
  const factor = factorOf(detail.settings, element),
    blurredUnder = useMemo(() => byFactor(shutter, factor), [shutter, factor]);
  useEffect(() => {
    setLiveShutter(null);
  }, [element.id]);
  useState(() => resetView(posterFrame));
  useEffect(() => {
    document.title = `${name} - Ivrex`;
  }, [name]);
  useDisplayLut(detail.settings.displayTransform);
  useLiveBlur(detail, blurredUnder);
  usePlayback(detail);
  usePeaks(detail);
  useResidual(detail);
  useCompareSides(detail);
  const toOneToOne = () => {
    const { placement, set } = useView.getState(),
      canvas = document.querySelector<HTMLCanvasElement>('[data-testid="picture-canvas"]');
    if (canvas) set({ placement: oneToOne(placement ?? fitPlacement(canvas, detail.shot), canvas) });
  };
  useShotKeys(detail, toOneToOne);
  const commitShutter = (label: string, next: ShutterPlan) => {
    underWay.current++;
    const kept = change(label, (s) => {
      const holder = [s.elements[0], surfaceOf(s, s.elements[0])].find((e) => e !== null && e.shutter !== null) ?? null;
      return holder === null
        ? { ...s, shutter: next }
        : { ...s, elements: s.elements.map((e) => (e.id === holder.id ? { ...e, shutter: next } : e)) };
    });
    setLiveShutter(next);
    void kept.then(() => {
      underWay.current--;
      // The kept one is drawn first: between the two nobody should meet the one before.
      setTimeout(() => underWay.current === 0 && setLiveShutter(null), ANSWER_DRAWN_MS);
    });
  };
  const context = useMemo<ShotContext>(
    () => ({ detail, whole, change, changeWhole, shutter, setLiveShutter, commitShutter }),
    // `change` and `commitShutter` are made of these.
    [detail, whole, changeWhole, shutter],
  );
  return (
    <div className="shot-page">
      <AssemblyEngine whole={whole} />
      <ShotBar detail={whole} />
      {trouble !== null && (
        <div className="trouble" role="status">
          {trouble} It is tried again by itself.
        </div>
      )}
      <Group orientation="horizontal" className="work-area">
        <Panel minSize="40%">
          <div className="bench">
            <ViewerBar detail={detail} onOneToOne={toOneToOne} />
            <Viewer detail={detail} shutter={blurredUnder} />
            <FrameStrip detail={detail} shutter={shutter} onLiveShutter={setLiveShutter} onShutter={commitShutter} />
          </div>
        </Panel>
        <Separator className="separator" aria-label="Width of the side" />
        <Panel defaultSize="372px" minSize="300px" maxSize="45%">
          <aside className="side">
            <Outlet context={context} />
          </aside>
        </Panel>
      </Group>
    </div>
  );
}
