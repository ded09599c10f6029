import type { DepthEncoding } from './depth-encoding';

export const DEPTH_CODES = ['notDepth', 'nearerUnknown', 'coarseSteps', 'filteredEdges', 'relativeDepth', 'oneDepth'] as const;
export type DepthCode = (typeof DEPTH_CODES)[number];

export interface DepthDetection {
  readonly encoding: DepthEncoding;
  /** All that was considered, the likeliest first; `share` of all, 0 to 1. */
  readonly alternatives: readonly { readonly encoding: DepthEncoding; readonly share: number }[];
  /** False: what is stored is no depth, and nothing should use it. */
  readonly isDepth: boolean;
  /** That nearer and farther are told apart as they are, 0 to 1. */
  readonly confidence: number;
  /** What was measured, in sentences. */
  readonly evidence: readonly string[];
  readonly issues: readonly { readonly code: DepthCode; readonly severity: 'info' | 'warning'; readonly message: string }[];
}
