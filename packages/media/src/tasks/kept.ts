/** The latest things that took time to make, by all that they are made of; the next frame of a sequence asks for most of them again. */
export class Kept<T> {
  private readonly made = new Map<string, Promise<T>>();
  /** So many are kept; those that were asked for longest ago go first. */
  constructor(private readonly most: number) {}

  /** What is kept under a key, else what `make` makes. What could not be made is tried anew by whoever asks next. */
  get(key: string, make: () => Promise<T>): Promise<T> {
    const there = this.made.get(key),
      found = there ?? make();
    this.made.delete(key);
    this.made.set(key, found);
    for (const old of this.made.keys()) if (this.made.size > this.most) this.made.delete(old);
    if (there === undefined) found.catch(() => this.made.get(key) === found && this.made.delete(key));
    return found;
  }

  clear(): void {
    this.made.clear();
  }
}
