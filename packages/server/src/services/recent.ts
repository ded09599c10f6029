import { LRUCache } from 'lru-cache';

/** What was made last, by key, as far as it has room; the longest unused goes first. Whoever asks while something is being made waits for the same. */
export class Recent<T extends NonNullable<unknown>> {
  private readonly kept: LRUCache<string, T>;
  private readonly making = new Map<string, Promise<T>>();

  /** `bytesOf`: above 0. What is larger than all the room is kept alone. */
  constructor(mostBytes: number, bytesOf: (value: T) => number) {
    this.kept = new LRUCache({ maxSize: mostBytes, sizeCalculation: (value) => Math.min(mostBytes, bytesOf(value)) });
  }

  async of(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.kept.get(key) ?? this.making.get(key);
    if (known !== undefined) return known;
    const made = make();
    this.making.set(key, made);
    try {
      const value = await made;
      this.kept.set(key, value);
      return value;
    } finally {
      // A failure is not kept: it may be over next time.
      this.making.delete(key);
    }
  }

  async get(key: string): Promise<T | null> {
    return this.kept.get(key) ?? (await this.making.get(key)) ?? null;
  }
}
