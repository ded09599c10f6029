import { Recent } from '../src/services/recent';

test('what was made is made once, also for those who ask meanwhile; the longest unused gives way', async () => {
  const recent = new Recent<string>(10, (text) => text.length);
  let made = 0;
  const ask = (key: string, length = 4) =>
    recent.of(key, () => {
      made++;
      return Promise.resolve(key.repeat(length));
    });
  expect(await Promise.all([ask('a'), ask('a'), ask('b')])).toEqual(['aaaa', 'aaaa', 'bbbb']);
  expect(made).toBe(2);
  await ask('a');
  await ask('c');
  // b was used longest ago.
  expect([await recent.get('a'), await recent.get('b'), await recent.get('c')]).toEqual(['aaaa', null, 'cccc']);
  // Larger than all the room: it is kept alone.
  await ask('d', 40);
  expect([await recent.get('a'), await recent.get('c'), (await recent.get('d'))?.length]).toEqual([null, null, 40]);
});

test('a failure is not kept', async () => {
  const recent = new Recent<number>(100, () => 1);
  await expect(recent.of('x', () => Promise.reject(new Error('no room on the disk')))).rejects.toThrow('no room');
  expect(await recent.of('x', () => Promise.resolve(7))).toBe(7);
  expect(await recent.get('y')).toBeNull();
});
