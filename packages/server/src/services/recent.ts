/** What was made last, by key. Whoever asks while it is being made waits for the same. */
export class Recent<T> {
  private readonly kept = new Map<string, Promise<T>>();

  constructor(private readonly most: number) {}

  async of(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.kept.get(key);
    if (known !== undefined) {
      this.kept.delete(key);
      this.kept.set(key, known);
      return known;
    }
    const made = make();
    this.kept.set(key, made);
    for (const oldest of this.kept.keys()) {
      if (this.kept.size <= this.most) break;
      this.kept.delete(oldest);
    }
    try {
      return await made;
    } catch (error) {
      // A failure may be over next time.
      if (this.kept.get(key) === made) this.kept.delete(key);
      throw error;
    }
  }

  async get(key: string): Promise<T | null> {
    return (await this.kept.get(key)) ?? null;
  }
}
