/** What was made last, by key, as far as it has room. Whoever asks while something is being made waits for the same. */
export class Recent<T> {
  private readonly kept = new Map<string, { readonly made: Promise<T>; bytes: number }>();

  constructor(
    private readonly mostBytes: number,
    private readonly bytesOf: (value: T) => number,
  ) {}

  async of(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.kept.get(key);
    if (known !== undefined) {
      this.kept.delete(key);
      this.kept.set(key, known);
      return known.made;
    }
    const entry = { made: make(), bytes: 0 };
    this.kept.set(key, entry);
    try {
      const value = await entry.made;
      entry.bytes = this.bytesOf(value);
      this.makeRoom(key);
      return value;
    } catch (error) {
      // A failure may be over next time.
      if (this.kept.get(key) === entry) this.kept.delete(key);
      throw error;
    }
  }

  async get(key: string): Promise<T | null> {
    return (await this.kept.get(key)?.made) ?? null;
  }

  /** The longest unused goes first; what was just made stays, however large. */
  private makeRoom(newest: string): void {
    let total = 0;
    for (const { bytes } of this.kept.values()) total += bytes;
    for (const [key, { bytes }] of this.kept) {
      if (total <= this.mostBytes) return;
      if (key === newest || bytes === 0) continue;
      this.kept.delete(key);
      total -= bytes;
    }
  }
}
