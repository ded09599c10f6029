import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';

/** scrypt (RFC 7914) with 32 MiB: about a tenth of a second here, as the interactive use that its paper names. */
const COST = { N: 2 ** 15, r: 8, p: 1 };
const MOST_MEMORY = 64 * 2 ** 20;
const HASH_BYTES = 32,
  SALT_BYTES = 16;

function derive(password: string, salt: Buffer, cost: typeof COST): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    // The same word typed on another system may come in another form of the same characters.
    scrypt(password.normalize('NFKC'), salt, HASH_BYTES, { ...cost, maxmem: MOST_MEMORY }, (error, key) =>
      error ? reject(error) : resolve(key),
    );
  });
}

/** What is kept of a password: "scrypt$N$r$p$salt$hash", the last two base64. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(SALT_BYTES);
  const hash = await derive(password, salt, COST);
  return ['scrypt', COST.N, COST.r, COST.p, salt.toString('base64'), hash.toString('base64')].join('$');
}

/** Whether it is the password. For a kept text of null (nobody has this name) it takes as long, and is not. */
export async function isPassword(password: string, kept: string | null): Promise<boolean> {
  const [, N, r, p, salt, hash] = (kept ?? NOBODY).split('$');
  const expected = Buffer.from(hash, 'base64');
  const found = await derive(password, Buffer.from(salt, 'base64'), { N: Number(N), r: Number(r), p: Number(p) });
  return timingSafeEqual(found, expected) && kept !== null;
}

const NOBODY = [
  'scrypt',
  COST.N,
  COST.r,
  COST.p,
  Buffer.alloc(SALT_BYTES).toString('base64'),
  Buffer.alloc(HASH_BYTES).toString('base64'),
].join('$');
