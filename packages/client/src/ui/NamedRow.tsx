import type { ReactNode } from 'react';

/** A control of a card with its name before it; names line up. */
export function NamedRow({ name, children }: { readonly name: string; readonly children: ReactNode }) {
  return (
    <div className="row">
      <span className="quiet field-name">{name}</span>
      {children}
    </div>
  );
}
