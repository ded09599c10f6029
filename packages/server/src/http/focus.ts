import { elementIdSchema, type ElementId } from '@ivrex/contract';
import { z } from 'zod';

const focusQuery = z.object({ element: elementIdSchema.nullable().default(null) });

/** The element that a request is about; without one it is the main one. */
export function focusOf(request: { readonly query: unknown }): ElementId | null {
  return focusQuery.parse(request.query).element;
}
