import { TILE_PX as T, UNTREATED, type BlurPlan, type Shutter } from '@ivrex/core';
import { around, tilesOf, wholeOf, type Area } from '../src/workers/areas';
import { takeBand, type Bands } from '../src/workers/bands';
import { BlurPreview, type BlurThread, type RenderRequest } from '../src/workers/blur-preview';
import type { FrameInputs } from '../src/workers/blur-work';

const SIZE = { width: 5 * T + 7, height: 3 * T + 5 };
const plan = { ...SIZE, layers: [] } as unknown as BlurPlan;
const inputs = {} as FrameInputs;
const shutter = (opens: number): Shutter => ({ opens, closes: 0.5 }) as Shutter;
const request = (opens: number, over: Partial<RenderRequest> = {}): RenderRequest =>
  ({ slot: 'full', treatment: UNTREATED, visible: null, shutter: shutter(opens), quality: 'draft', ...over }) as RenderRequest;

/** Workers that note what they are asked and answer when they are told to. */
class FakeThreads {
  readonly asked: string[] = [];
  readonly ended: number[] = [];
  /** Rows of the picture that were rendered, by when its shutter opens. */
  readonly rows = new Map<number, Area[]>();
  private count = 0;
  private readonly waiting: (() => void)[] = [];
  held = false;

  start = (): Promise<BlurThread> => {
    const id = this.count++;
    const pause = () => (this.held ? new Promise<void>((resolve) => this.waiting.push(resolve)) : Promise.resolve());
    const worker = {
      prepare: async () => {
        this.asked.push('prepare');
        await pause();
        return { ok: true, value: { plan, depth: null } };
      },
      load: () => {
        this.asked.push('load');
        return Promise.resolve();
      },
      unload: () => {
        this.asked.push('unload');
        return Promise.resolve();
      },
      render: async (_slot: string, settings: { shutter: Shutter; columns: readonly [number, number] }, bands: Bands, out: Uint16Array) => {
        const { opens } = settings.shutter,
          [x0, x1] = settings.columns;
        for (let band = takeBand(bands); band !== null; band = takeBand(bands)) {
          const [y0, y1] = band;
          this.rows.set(opens, [...(this.rows.get(opens) ?? []), { x0, x1, y0, y1 }]);
          await pause();
          for (let y = y0; y < y1; y++) out.fill(id + 1, (y * SIZE.width + x0) * 4, (y * SIZE.width + x1) * 4);
        }
        return 9;
      },
    };
    return Promise.resolve({ worker: worker as unknown as BlurThread['worker'], end: () => this.ended.push(id) });
  };

  /** Lets all go that wait, and what they bring on, too. */
  async release(): Promise<void> {
    this.held = false;
    for (let i = 0; i < 50; i++) {
      this.waiting.splice(0).forEach((go) => go());
      await new Promise((resolve) => setImmediate(resolve));
    }
  }
}

async function ready(threads: FakeThreads): Promise<BlurPreview> {
  const preview = new BlurPreview(threads.start, 2);
  expect(await preview.prepare('full', inputs, 1)).toBe(plan);
  return preview;
}

describe('only the newest request counts', () => {
  test('those in between are never begun', async () => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    threads.held = true;
    const all = [-0.4, -0.3, -0.2, -0.1].map((opens) => preview.render(request(opens)));
    await new Promise((resolve) => setImmediate(resolve));
    await threads.release();
    const pictures = await Promise.all(all);
    expect(pictures.map((p) => p !== null)).toEqual([false, false, false, true]);
    expect([...threads.rows.keys()]).toEqual([-0.1]);
  });
  /** A picture that is being rendered when another is asked for. */
  const overtaken = async (quality: 'draft' | 'final', overtake: (preview: BlurPreview) => unknown) => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    threads.held = true;
    const first = preview.render(request(-0.4, { quality, mix: null }));
    while (!threads.rows.has(-0.4)) await new Promise((resolve) => setImmediate(resolve));
    const second = overtake(preview);
    await threads.release();
    return { first: await first, second: await second, bands: threads.rows.get(-0.4) };
  };
  test('an exact picture that was begun stops at its next band', async () => {
    const { first, second, bands } = await overtaken('final', (preview) => preview.render(request(-0.3)));
    expect(first).toBeNull();
    expect(second).toMatchObject({ ...SIZE, slices: 9 });
    // Each of the two renderers had one band under way.
    expect(bands).toHaveLength(2);
  });
  test('a draft that was begun comes to its end, so that something is seen while a value is dragged', async () => {
    const { first, second, bands } = await overtaken('draft', (preview) => preview.render(request(-0.3)));
    expect([first, second]).toMatchObject([{ slices: 9 }, { slices: 9 }]);
    expect(bands).toHaveLength(4);
  });
  test('a draft of a plan that is out of date is given up', async () => {
    const { first, bands } = await overtaken('draft', (preview) => preview.forget());
    expect(first).toBeNull();
    expect(bands).toHaveLength(2);
  });
  test('a plan that went out of date while it was made is not shown, and its worker is ended', async () => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    threads.held = true;
    const late = preview.prepare('full', inputs, 1);
    while (threads.asked.filter((what) => what === 'prepare').length < 2) await new Promise((resolve) => setImmediate(resolve));
    preview.forget();
    await threads.release();
    expect(await late).toBeNull();
    // Threads 0 and 1 render, 2 made plans.
    expect(threads.ended).toEqual([2]);
    expect(await preview.render(request(-0.1))).toBeNull();
    expect(await preview.prepare('full', inputs, 1)).toBe(plan);
    expect(await preview.render(request(-0.1))).not.toBeNull();
  });
  test('a plan that was dropped renders nothing', async () => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    await preview.drop('full');
    expect(threads.asked.filter((what) => what === 'unload')).toHaveLength(2);
    expect(await preview.render(request(-0.1))).toBeNull();
  });
  test('closing ends every worker', async () => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    preview.close();
    expect(threads.ended.sort()).toEqual([0, 1, 2]);
  });
});

describe('what is on the screen comes first', () => {
  const pixels = (areas: readonly Area[]) => {
    const counts = new Uint8Array(SIZE.width * SIZE.height);
    for (const { x0, x1, y0, y1 } of areas)
      for (let y = y0; y < Math.min(SIZE.height, y1); y++) for (let x = x0; x < x1; x++) counts[y * SIZE.width + x]++;
    return counts;
  };
  test('it is shown when it is whole, then the rest is made; every pixel once', async () => {
    const threads = new FakeThreads(),
      preview = await ready(threads);
    const visible = { x0: T + 6, y0: T + 6, x1: 2 * T + 2, y1: 2 * T - 4 };
    let early: Uint16Array | null = null;
    const picture = await preview.render(request(-0.2, { visible }), ({ halves }) => (early = halves));
    const isDone = (halves: Uint16Array | null, x: number, y: number) => (halves?.[(y * SIZE.width + x) * 4] ?? 0) !== 0;
    expect([isDone(early, T + 8, T + 8), isDone(early, 3 * T - 1, 2 * T - 1), isDone(early, 2, 2)]).toEqual([true, true, false]);
    expect(picture?.halves.every((v) => v !== 0)).toBe(true);
    expect(pixels(threads.rows.get(-0.2) ?? []).every((n) => n === 1)).toBe(true);
  });
  test.each<[string, Area, Area | null]>([
    ['grows to whole tiles', { x0: T + 6, y0: T + 6, x1: 2 * T + 2, y1: 2 * T + 1 }, { x0: T, y0: T, x1: 3 * T, y1: 3 * T }],
    ['ends with the picture', { x0: 4 * T + 9, y0: T, x1: 5000, y1: 5000 }, { x0: 4 * T, y0: T, x1: SIZE.width, y1: SIZE.height }],
    ['is nothing apart when it is all', { x0: -9, y0: -9, x1: 9999, y1: 9999 }, null],
    ['or beside the picture', { x0: 9000, y0: 0, x1: 9100, y1: 50 }, null],
  ])('an area %s', (_, area, expected) => expect(tilesOf(area, SIZE)).toEqual(expected));
  test('an area and what is around it are the picture', () => {
    const area = { x0: T, y0: T, x1: 3 * T, y1: SIZE.height };
    expect(pixels([area, ...around(area, SIZE)]).every((n) => n === 1)).toBe(true);
    expect(around(wholeOf(SIZE), SIZE)).toEqual([]);
  });
});
