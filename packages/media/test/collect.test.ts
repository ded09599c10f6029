import { setTimeout } from 'node:timers/promises';
import { heldShared } from '../src/host/collect';

const MIB = 1024 * 1024;

test('shared memory that was let go of is collected once enough of it has come by, and not before', async () => {
  const collected = async (bytes: number) => {
    const gone = new WeakRef(new SharedArrayBuffer(1000));
    // A reference that was looked at lives until the job is over.
    await setTimeout(1);
    heldShared(bytes);
    return gone.deref() === undefined;
  };
  expect(await collected(30 * MIB)).toBe(false);
  expect(await collected(180 * MIB)).toBe(true);
  expect(await collected(30 * MIB)).toBe(false);
});
