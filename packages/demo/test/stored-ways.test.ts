import { runOutside } from './run-outside';

interface Row {
  readonly name: string;
  readonly db: number;
  readonly plain: number;
}

/** dB that a way of storing may cost against plain float OpenEXR. */
const COST = 0.5;

test('thirty random ways of storing the same passes, and positions for depth, give the same blur', () => {
  const rows = runOutside<Row[]>('stored-ways-run.ts');
  for (const { name, db, plain } of rows) process.stdout.write(`${name}: ${db.toFixed(2)} dB, plain ${plain.toFixed(2)}\n`);
  expect(rows).toHaveLength(35);
  expect(rows.filter(({ db, plain }) => !(db >= plain - COST)).map(({ name }) => name)).toEqual([]);
}, 600000);
