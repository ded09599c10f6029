import { NODE_FLOATS } from '@ivrex/kernels/interface';
import type { SpeedLimits } from '../../shutter/shutter-plan';
import type { BlurPlan } from '../model/blur-plan';
import { sharedFloats } from '../model/shared-floats';
import { tileTravel } from '../plan/tile-travel';

/** From the floor to this multiple of it the blur sets in, so that a turning thing is not torn around its middle. */
const SETS_IN = 1.5;

/**
 * The share of its way that something of this speed goes: 0 below the floor, all of it from 1.5 times the floor up to the ceiling, beyond that
 * as far as the ceiling. Speeds in pixels per frame.
 */
export function keptShare(speed: number, { floorPx, ceilingPx }: SpeedLimits): number {
  const setsIn = floorPx !== null && floorPx > 0 && speed < SETS_IN * floorPx;
  const share = !setsIn ? 1 : speed <= floorPx ? 0 : ((speed - floorPx) * SETS_IN) / (SETS_IN - 1) / speed;
  // A ceiling may lie where the blur still sets in.
  return ceilingPx !== null && share * speed > ceilingPx ? ceilingPx / speed : share;
}

/**
 * A plan whose layers travel no farther than the limits allow, on the same paths: a share k of the way is the path at k times the time. What was
 * found behind them stays true. The same plan when nothing is limited; `floats` makes the memory of new paths.
 */
export function limitSpeeds(plan: BlurPlan, limits: SpeedLimits, floats: (length: number) => Float32Array = sharedFloats): BlurPlan {
  if (limits.floorPx === null && limits.ceilingPx === null) return plan;
  return {
    ...plan,
    layers: plan.layers.map((layer) => {
      const { path } = layer;
      const nodes = floats(path.nodes.length),
        node = path.orders * NODE_FLOATS;
      for (let at = 0; at < nodes.length; at += node) {
        const share = keptShare(Math.hypot(path.nodes[at], path.nodes[at + 1]), limits);
        for (let order = 0, factor = share; order < path.orders; order++, factor *= share)
          for (let k = at + order * NODE_FLOATS; k < at + (order + 1) * NODE_FLOATS; k++) nodes[k] = path.nodes[k] * factor;
      }
      const limited = { ...layer, path: { ...path, nodes } };
      return { ...limited, tileTravel: tileTravel(limited, plan) };
    }),
  };
}
