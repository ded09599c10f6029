/** A wrong call: exit code 2. */
export class UsageError extends Error {}
