import { assertNever, type RepairKind, type RepairStep } from '@ivrex/core';

/** What each repair is called, and what it does. */
export const REPAIR_WORDS: Record<RepairKind, { readonly name: string; readonly about: string }> = {
  recentre: { name: 'Re-centre', about: 'takes a steady drift off everything' },
  unmix: { name: 'Divide mixed edges by alpha', about: 'for vectors that were mixed with what stands still behind' },
  fillHoles: { name: 'Fill holes', about: 'NaN, black and, if you like, clipped pixels continue the motion beside them' },
  outliers: { name: 'Replace lone vectors', about: 'pixels between two motions take the nearer one' },
  smoothSteps: { name: 'Smooth the steps', about: 'of 8 or 16 bits: each vector moves by at most half a step, towards those beside it' },
  growEdges: { name: 'Grow under soft edges', about: 'partly covered pixels carry on the motion of the surface beside them' },
  speedLimits: { name: 'Limit speed', about: 'slower than the floor stands still; faster than the ceiling is shortened' },
};

/** What a button that switches it on says. */
export function repairLabel(step: RepairStep): string {
  switch (step.kind) {
    case 'recentre':
      return `Re-centre by ${step.xPx} and ${step.yPx} px`;
    case 'unmix':
      return 'Divide mixed edges by alpha';
    case 'fillHoles':
      return step.clipped ? 'Continue the motion where it is clipped' : 'Fill the holes from beside them';
    case 'outliers':
      return 'Replace lone vectors at edges';
    case 'smoothSteps':
      return 'Smooth the steps';
    case 'growEdges':
      return 'Grow vectors under soft edges';
    case 'speedLimits':
      return 'Limit speed';
    default:
      return assertNever(step);
  }
}
