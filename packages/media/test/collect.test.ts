import { setTimeout } from 'node:timers/promises';
import { bytesIn, heldShared } from '../src/collect';

const MIB = 1024 * 1024;

test('bytes are those of all distinct buffers, views of one counted once', () => {
  const shared = new SharedArrayBuffer(1000),
    own = new Float32Array(10);
  const plan = {
    layers: [{ colour: new Float32Array(shared, 0, 5) }, { colour: new Uint8Array(shared) }],
    sharp: own,
    name: 'x',
    none: null,
  };
  expect(bytesIn(plan)).toBe(1000 + 40);
  expect(bytesIn({ ...plan, itself: plan })).toBe(1040);
});

test('shared memory that was let go of is collected once enough of it has come by, and not before', async () => {
  const collected = async (bytes: number) => {
    const gone = new WeakRef(new SharedArrayBuffer(1000));
    // A reference that was looked at lives until the job is over.
    await setTimeout(1);
    heldShared(bytes);
    return gone.deref() === undefined;
  };
  expect(await collected(10 * MIB)).toBe(false);
  expect(await collected(60 * MIB)).toBe(true);
  expect(await collected(10 * MIB)).toBe(false);
});
