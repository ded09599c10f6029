import type { ShotDetail } from '@ivrex/contract';
import { peakSpeed } from '@ivrex/core';
import { useEffect, useMemo } from 'react';
import { useMotionAudit } from '../api/motion';
import { useView } from './view-store';

/** Figures of every frame for the strip, from the audit under the encoding that is agreed. */
export function usePeaks(detail: ShotDetail): void {
  const { data } = useMotionAudit(detail);
  useEffect(() => {
    useView.setState({ audit: new Map((data?.frames ?? []).map((f) => [f.frame, f])) });
  }, [data]);
}

/** Longest vector of the frame on screen, pixels: from its audit or, before that has come so far, from the motion that is shown. Undefined: not read yet. */
export function useFramePeak(): number | undefined {
  const audited = useView((s) => s.audit.get(s.frame)?.peakPx),
    field = useView((s) => (audited === undefined ? s.field : null));
  const shown = useMemo(() => (field === null ? undefined : peakSpeed(field)), [field]);
  return audited ?? shown;
}
