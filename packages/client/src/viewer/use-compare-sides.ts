import type { ShotDetail } from '@ivrex/contract';
import { useEffect } from 'react';
import { loadAssembled, loadBlurOfState, loadRaster, stampOf } from '../api/raster-cache';
import { sentenceOf } from '../api/request';
import { pictureOf, pictureOfRaster, sideKey, type LoadedSide, type Side, type SidePicture } from './compare-state';
import { useView } from './view-store';

/** Keeps the two compared pictures up to date. */
export function useCompareSides(detail: ShotDetail): void {
  useSide(detail, 'a');
  useSide(detail, 'b');
}

function useSide(detail: ShotDetail, which: 'a' | 'b'): void {
  const look = useView((s) => s.look),
    frame = useView((s) => s.frame),
    side = useView((s) => s.compare[which]);
  const blurred = useView((s) => (s.compare[which].kind === 'blurred' && s.blurred?.frame === s.frame ? s.blurred : null));
  const problem = useView((s) => (s.compare[which].kind === 'blurred' ? s.problem : null));
  const [{ beauty }] = detail.settings.elements;
  const pass = side.kind === 'pass' ? side.pass : side.kind === 'sharp' ? beauty : null;
  const key = `${sideKey(side)}/${detail.settings.elements[0].id}/${frame}/${pass ?? ''}/${stampOf(pass)}/${detail.look}/${side.kind === 'assembled' ? detail.state.sequence : ''}`;
  useEffect(() => {
    if (look !== 'compare') return;
    const put = (loaded: LoadedSide) => useView.setState((s) => ({ sides: { ...s.sides, [which]: loaded } }));
    if (side.kind === 'blurred') {
      // A picture under other settings stands in until the one of these is there.
      const stays = pictureOf(useView.getState().sides[which]);
      if (problem !== null) put({ status: 'failed', message: problem });
      else if (blurred === null) put({ status: 'loading', picture: stays });
      else if (blurred.isOld === true || blurred.quality === 'draft') put({ status: 'loading', picture: blurred });
      else put({ status: 'ready', picture: blurred });
      return;
    }
    let current = true;
    put({ status: 'loading', picture: pictureOf(useView.getState().sides[which]) });
    load(detail, side, frame).then(
      (picture) => current && put({ status: 'ready', picture }),
      (error: unknown) => current && put({ status: 'failed', message: sentenceOf(error) }),
    );
    return () => {
      current = false;
    };
  }, [look, key, blurred, problem]);
}

async function load(detail: ShotDetail, side: Exclude<Side, { kind: 'blurred' }>, frame: number): Promise<SidePicture> {
  switch (side.kind) {
    case 'sharp': {
      const [{ beauty }] = detail.settings.elements;
      if (beauty === null) throw new Error('no pass is marked as beauty; choose one in step Passes');
      return pictureOfRaster(await loadRaster(beauty, frame, 'picture'));
    }
    case 'pass': {
      const pass = detail.passes.find((p) => p.id === side.pass);
      const frames = pass?.frames ?? null;
      if (pass !== undefined && frames !== null && !frames.includes(frame + side.shift))
        throw new Error(`${pass.name} has no frame ${frame + side.shift}; it has ${listed(frames)}`);
      return pictureOfRaster(await loadRaster(side.pass, frame + side.shift, 'picture'));
    }
    case 'assembled':
      return pictureOfRaster(await loadAssembled(detail.shot.id, frame));
    case 'state':
      return pictureOfRaster(await loadBlurOfState(detail, side.state, frame));
  }
}

function listed(frames: readonly number[]): string {
  return frames.length <= 8 ? frames.join(', ') : `${frames[0]} to ${frames[frames.length - 1]}`;
}
