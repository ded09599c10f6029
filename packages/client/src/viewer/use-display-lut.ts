import type { DisplayChoice } from '@ivrex/contract';
import { useEffect } from 'react';
import { useLut } from '../api/luts';
import { useView } from './view-store';

/** Keeps the table of the shot's display transform at hand for the picture. */
export function useDisplayLut(choice: DisplayChoice): void {
  const lut = useLut(typeof choice === 'string' ? null : choice.lut);
  const table = typeof choice === 'string' ? null : (lut.data ?? null);
  useEffect(() => useView.setState({ lut: table }), [table]);
}
