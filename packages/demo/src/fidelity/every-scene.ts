import type { FrameSize } from '../render-cards';
import { solidScenes } from '../solid/solid-scenes';
import { shootCards, shootSolid, type Shoot } from './frames';
import { fidelityScenes } from './scenes';

/** A scene that is measured: flat cards, or bodies in space. Artwork is painted when it is shot. */
export interface MeasuredScene {
  readonly kind: 'cards' | 'solid';
  readonly name: string;
  readonly stresses: string;
  readonly shoot: () => Shoot;
}

/** Truths are made of `cardSamples` points a pixel and moment, and of `solidMoments` moments a frame. */
export function everyScene(size: FrameSize, cardSamples: number, solidMoments: number): readonly MeasuredScene[] {
  return [
    ...fidelityScenes(size.width).map((scene): MeasuredScene => ({
      kind: 'cards',
      name: scene.name,
      stresses: scene.stresses,
      shoot: () => shootCards(scene, size, cardSamples),
    })),
    ...solidScenes(size.width).map((scene): MeasuredScene => ({
      kind: 'solid',
      name: scene.name,
      stresses: scene.stresses,
      shoot: () => shootSolid(scene, size, solidMoments),
    })),
  ];
}
