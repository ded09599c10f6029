/**
 * The closed list of what can be wrong with data. A caller's mistake is a TypeError instead, absence is null.
 * Each code is mapped once to an HTTP status, once to an exit code, once to a sentence in the interface.
 */
export const ERROR_CODES = [
  'notAnImage',
  'truncated',
  'damaged',
  'unsupported',
  'tooLarge',
  'missingFile',
  'missingFrame',
  'missingChannel',
  'missingLayer',
  'sizeMismatch',
  'badEncoding',
  'badSetting',
  'needsFrameRate',
  'cannotWrite',
  'notFound',
  'conflict',
  'cancelled',
  'forbidden',
  'signIn',
  'tooMany',
  'internal',
] as const;
export type ErrorCode = (typeof ERROR_CODES)[number];

/** Plain data, so that it crosses workers and the network unchanged. */
export interface ErrorRecord {
  readonly code: ErrorCode;
  /** One sentence: what is wrong, where, and what to do. */
  readonly message: string;
  /** The file it is about, when there is one. */
  readonly file?: string;
}

export class IvrexError extends Error {
  readonly code: ErrorCode;
  readonly file: string | undefined;

  constructor(code: ErrorCode, message: string, file?: string) {
    super(message);
    this.name = 'IvrexError';
    this.code = code;
    this.file = file;
  }

  /** The same error, said of a file; a file that is already named stays. */
  about(file: string): IvrexError {
    return this.file === undefined ? new IvrexError(this.code, this.message, file) : this;
  }

  toRecord(): ErrorRecord {
    return this.file === undefined
      ? { code: this.code, message: this.message }
      : { code: this.code, message: this.message, file: this.file };
  }

  static fromRecord(record: ErrorRecord): IvrexError {
    return new IvrexError(record.code, record.message, record.file);
  }
}

/** For the default branch of a switch over a union: the compiler complains when a case is missing. */
export function assertNever(value: never): never {
  throw new TypeError(`unhandled case: ${JSON.stringify(value)}`);
}

/** For what can be done without: null in place of an IvrexError; any other error is a fault of ours and goes on. */
export async function orNull<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof IvrexError) return null;
    throw error;
  }
}
