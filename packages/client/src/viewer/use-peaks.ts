import type { ShotDetail } from '@ivrex/contract';
import { useEffect } from 'react';
import { useMotionAudit } from '../api/motion';
import { useView } from './view-store';

/** Figures of every frame for the strip, from the audit under the encoding that is agreed. */
export function usePeaks(detail: ShotDetail): void {
  const { data } = useMotionAudit(detail);
  useEffect(() => {
    useView.setState({ audit: new Map((data?.frames ?? []).map((f) => [f.frame, f])) });
  }, [data]);
}
