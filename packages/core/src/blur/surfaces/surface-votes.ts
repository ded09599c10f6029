/** Whether surface `a` is in front of `b`: above 0 so many places say so, below 0 that `b` is. */
export type InFront = (a: number, b: number) => number;

/** Places that say which of two surfaces is in front. */
export class SurfaceVotes {
  /** By pair, the smaller number first: votes for it less those against. */
  private readonly votes = new Map<number, number>();

  constructor(private readonly count: number) {}

  get isEmpty(): boolean {
    return this.votes.size === 0;
  }

  add(front: number, behind: number): void {
    const [key, vote] = front < behind ? [front * this.count + behind, 1] : [behind * this.count + front, -1];
    this.votes.set(key, (this.votes.get(key) ?? 0) + vote);
  }

  readonly inFront: InFront = (a, b) => (a < b ? (this.votes.get(a * this.count + b) ?? 0) : -(this.votes.get(b * this.count + a) ?? 0));
}
