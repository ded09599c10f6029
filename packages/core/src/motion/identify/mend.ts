import type { RepairStep } from '../repair/repair-step';

/** What takes a symptom away. */
export type Mend =
  /** The proposed reading undoes it. */
  | { readonly kind: 'reading' }
  | { readonly kind: 'repair'; readonly step: RepairStep }
  /** The motion pass is shifted against the beauty by so many frames. */
  | { readonly kind: 'shift'; readonly frames: 1 | -1 }
  /** Another pass, or another render, has to be the beauty. */
  | { readonly kind: 'otherBeauty' }
  /** The pass is of no use: motion is made from something else. */
  | { readonly kind: 'makeMotion' };
