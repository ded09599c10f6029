import { newPersonSchema, passwordSchema, personRoleSchema, type Person } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { z } from 'zod';
import { readConfig } from './config/config';
import { openDatabase } from './db/database';
import { migrate } from './db/migrate';
import { addPerson, changePerson, people, removePerson } from './services/people';

/** `npm run people`: who may sign in, from the command line. The password comes on stdin. */
const askedSchema = z.discriminatedUnion('action', [
  z.object({ action: z.literal('list') }),
  z.object({ action: z.literal('add'), name: z.string(), role: personRoleSchema }),
  z.object({ action: z.literal('password'), name: z.string() }),
  z.object({ action: z.literal('role'), name: z.string(), role: personRoleSchema }),
  z.object({ action: z.literal('remove'), name: z.string() }),
]);

async function readPassword(): Promise<string> {
  let text = '';
  for await (const chunk of process.stdin) text += String(chunk);
  return text.replace(/\r?\n$/, '');
}

const config = readConfig(process.env);
const database = openDatabase(config.databaseUrl, () => undefined);
const services = { database };

async function named(name: string): Promise<Person> {
  const found = (await people(services)).find((p) => p.name.toLowerCase() === name.toLowerCase());
  if (found === undefined) throw new IvrexError('notFound', `nobody is called "${name}"`);
  return found;
}

async function run(): Promise<Person[]> {
  const asked = askedSchema.parse(JSON.parse(process.argv[2] ?? '{}'));
  switch (asked.action) {
    case 'list':
      return people(services);
    case 'add':
      return addPerson(services, newPersonSchema.parse({ name: asked.name, role: asked.role, password: await readPassword() }));
    case 'password':
      return changePerson(services, (await named(asked.name)).id, { password: passwordSchema.parse(await readPassword()) });
    case 'role':
      return changePerson(services, (await named(asked.name)).id, { role: asked.role });
    case 'remove':
      return removePerson(services, (await named(asked.name)).id);
  }
}

try {
  await migrate(database, config.migrationsFolder);
  const all = await run();
  process.stdout.write(all.length === 0 ? 'nobody yet\n' : all.map((p) => `${p.role.padEnd(6)} ${p.name}\n`).join(''));
} catch (error) {
  const message = error instanceof z.ZodError ? error.issues[0].message : error instanceof Error ? error.message : String(error);
  process.stderr.write(`ivrex: ${message}\n`);
  process.exitCode = 1;
} finally {
  await database.close();
}
