import { Select } from 'antd';
import type { CSSProperties } from 'react';

interface Props<T extends string> {
  /** What is chosen: said by screen readers, and written above it when it is `labelled`. */
  readonly name: string;
  readonly labelled?: boolean;
  readonly value: T;
  /** The choices, in order, in words. */
  readonly words: Readonly<Record<T, string>>;
  readonly style?: CSSProperties;
  readonly className?: string;
  readonly onChange: (value: T) => void;
}

/** One of a few fixed things. */
export function Choice<T extends string>({ name, labelled = false, words, ...rest }: Props<T>) {
  const options = Object.entries<string>(words).map(([value, label]) => ({ value: value as T, label }));
  const select = <Select<T> size="small" aria-label={name} options={options} {...rest} />;
  return labelled ? (
    <div className="field">
      <span className="label">{name}</span>
      {select}
    </div>
  ) : (
    select
  );
}
