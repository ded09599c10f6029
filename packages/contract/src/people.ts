import { z } from 'zod';
import { personIdSchema } from './ids';

/** "look": sees everything; "work": changes shots and delivers; "admin": also says who may do what. */
export const PERSON_ROLES = ['look', 'work', 'admin'] as const;
export const personRoleSchema = z.enum(PERSON_ROLES);
export type PersonRole = z.infer<typeof personRoleSchema>;

const nameSchema = z
  .string()
  .trim()
  .min(1, 'a name is needed')
  .max(80)
  .regex(/^[\p{L}\p{N} ._-]+$/u, 'use letters, digits, spaces, dot, dash and underscore');
export const passwordSchema = z.string().min(10, 'a password has at least 10 characters').max(200);

export const personSchema = z.object({ id: personIdSchema, name: z.string(), role: personRoleSchema, createdAt: z.string() });
export type Person = z.infer<typeof personSchema>;

export const newPersonSchema = z.strictObject({ name: nameSchema, role: personRoleSchema, password: passwordSchema });
export type NewPerson = z.infer<typeof newPersonSchema>;
/** What is left out stays. */
export const personChangeSchema = z.strictObject({ role: personRoleSchema.optional(), password: passwordSchema.optional() });
export type PersonChange = z.infer<typeof personChangeSchema>;

export const signInSchema = z.strictObject({ name: z.string().max(200), password: z.string().max(1000) });
export type SignIn = z.infer<typeof signInSchema>;

/** Somebody's own password: the one that holds, and the next. */
export const ownPasswordSchema = z.strictObject({ password: z.string().max(1000), next: passwordSchema });
export type OwnPassword = z.infer<typeof ownPasswordSchema>;

/** Whether one has to sign in here, and who did. */
export const sessionSchema = z.object({ required: z.boolean(), person: personSchema.nullable() });
export type Session = z.infer<typeof sessionSchema>;

export const changeSchema = z.object({ at: z.string(), person: z.string(), shot: z.string().nullable(), what: z.string() });
export type Change = z.infer<typeof changeSchema>;
