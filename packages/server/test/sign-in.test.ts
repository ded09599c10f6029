import type { Change, Person, Session, ShotId } from '@ivrex/contract';
import express from 'express';
import request from 'supertest';
import { readConfig } from '../src/config/config';
import { makeApp } from '../src/http/app';
import { assertTerms, routeTerms, wordsOf } from '../src/http/route-terms';
import { hashPassword, isPassword } from '../src/services/passwords';
import { addPerson, people } from '../src/services/people';
import type { Services } from '../src/services/services';
import { serverBench } from './server-bench';

/** Where the application is reached from other machines: who gets in, who may do what, and what is written down about it. */

const bench = serverBench();
let shotId: ShotId;
beforeAll(async () => {
  shotId = (await bench.heronShot()).shot.id;
}, 60000);
const PASSWORD = 'the tide is out at six';
let open: ReturnType<typeof request>;
const said = (response: { body: unknown }) => (response.body as { error: { message: string } }).error.message;
const signIn = async (name: string, password = PASSWORD): Promise<string> => {
  const response = await open.post('/api/session').send({ name, password }).expect(200);
  const [cookie] = response.headers['set-cookie'] as unknown as string[];
  expect(cookie).toMatch(/^ivrex_session=[\w-]{43}; Path=\/; HttpOnly; SameSite=Strict$/);
  return cookie.split(';')[0];
};

describe('signing in', () => {
  beforeAll(() => {
    const { services } = bench;
    open = request(makeApp({ ...services, config: { ...services.config, signInRequired: true } }));
  });

  test('a password is kept as salted scrypt, never the same twice', async () => {
    const [one, two] = await Promise.all([hashPassword(PASSWORD), hashPassword(PASSWORD)]);
    expect(one).toMatch(/^scrypt\$32768\$8\$1\$[\w+/=]{24}\$[\w+/=]{44}$/);
    expect(one).not.toBe(two);
    expect(await Promise.all([isPassword(PASSWORD, one), isPassword('the tide is in', one), isPassword(PASSWORD, null)])).toEqual([
      true,
      false,
      false,
    ]);
  });

  test('nothing is answered before, and a wrong name is told like a wrong password', async () => {
    await expect(addPerson(bench.services, { name: 'Warden', role: 'work', password: PASSWORD })).rejects.toThrow('make one admin first');
    await addPerson(bench.services, { name: 'Warden', role: 'admin', password: PASSWORD });
    await open.get('/api/health').expect(200);
    expect((await open.get('/api/session').expect(200)).body).toEqual({ required: true, person: null });
    for (const address of ['/api/shots', `/api/shots/${shotId}`, '/api/people', '/api/changes', '/api/queue', '/api/folders'])
      expect(said(await open.get(address).expect(401))).toBe('sign in first');
    await open
      .get('/api/shots')
      .set('Cookie', `ivrex_session=${'A'.repeat(43)}`)
      .expect(401);
    const wrong = [
      { name: 'Warden', password: 'low water' },
      { name: 'nobody', password: PASSWORD },
    ];
    for (const tried of wrong)
      expect(said(await open.post('/api/session').send(tried).expect(401))).toBe('name and password do not belong together');
  });

  test('with the right words the browser gets a token that the database only knows by its hash', async () => {
    const cookie = await signIn('warden');
    expect((await open.get('/api/session').set('Cookie', cookie).expect(200)).body as Session).toMatchObject({
      person: { name: 'Warden', role: 'admin' },
    });
    await open.get('/api/shots').set('Cookie', cookie).expect(200);
    const { rows } = await bench.services.database.query<{ token_hash: string }>('SELECT token_hash FROM sessions');
    expect(rows.map((r) => r.token_hash)).toEqual([expect.stringMatching(/^[0-9a-f]{64}$/)]);
    await open.delete('/api/session').set('Cookie', cookie).expect(200);
    await open.get('/api/shots').set('Cookie', cookie).expect(401);
  });

  test('a role says what one may do', async () => {
    const warden = await signIn('Warden');
    const add = (name: string, role: string) => open.post('/api/people').set('Cookie', warden).send({ name, role, password: PASSWORD });
    await add('Heron Watcher', 'look').expect(201);
    await add('Wheelwright', 'work').expect(201);
    expect(said(await add('WHEELWRIGHT', 'work').expect(409))).toContain('somebody is called');
    expect(
      said(await open.post('/api/people').set('Cookie', warden).send({ name: 'Short', role: 'work', password: 'short' }).expect(400)),
    ).toContain('at least 10');
    const watcher = await signIn('Heron Watcher'),
      wright = await signIn('Wheelwright');
    await open.get(`/api/shots/${shotId}`).set('Cookie', watcher).expect(200);
    await open
      .post(`/api/shots/${shotId}/deliveries/plan`)
      .set('Cookie', watcher)
      .send({ name: 'p', firstFrame: 1010, lastFrame: 1010 })
      .expect(200);
    expect(said(await open.post(`/api/shots/${shotId}/undo`).set('Cookie', watcher).send({}).expect(403))).toContain('you may look');
    await open.post(`/api/shots/${shotId}/undo`).set('Cookie', wright).send({}).expect(200);
    await open.post(`/api/shots/${shotId}/redo`).set('Cookie', wright).send({}).expect(200);
    for (const cookie of [watcher, wright]) await open.get('/api/people').set('Cookie', cookie).expect(403);
    const all = (await open.get('/api/people').set('Cookie', warden).expect(200)).body as Person[];
    expect(all.map((p) => [p.name, p.role])).toEqual([
      ['Heron Watcher', 'look'],
      ['Warden', 'admin'],
      ['Wheelwright', 'work'],
    ]);
    expect(JSON.stringify(all)).not.toContain('scrypt');
  });

  test('somebody is always left who can add people; a new password ends what was signed in', async () => {
    const warden = await signIn('Warden'),
      wright = await signIn('Wheelwright');
    const all = await people(bench.services);
    const idOf = (name: string) => all.find((p) => p.name === name)?.id ?? '';
    expect(
      said(
        await open
          .delete(`/api/people/${idOf('Warden')}`)
          .set('Cookie', warden)
          .expect(409),
      ),
    ).toContain('somebody has to be there');
    expect(
      said(
        await open
          .put(`/api/people/${idOf('Warden')}`)
          .set('Cookie', warden)
          .send({ role: 'look' })
          .expect(409),
      ),
    ).toContain('somebody has to be there');
    await open
      .put(`/api/people/${idOf('Wheelwright')}`)
      .set('Cookie', warden)
      .send({ password: 'spring tide tomorrow' })
      .expect(200);
    await open.get('/api/shots').set('Cookie', wright).expect(401);
    await signIn('Wheelwright', 'spring tide tomorrow');
    await bench.services.database.query(`UPDATE sessions SET seen_at = now() - interval '25 hours'`);
    await open.get('/api/shots').set('Cookie', warden).expect(401);
  });

  test('one’s own password is changed by who knows it, whatever the role, and other browsers are signed out', async () => {
    const here = await signIn('Heron Watcher'),
      elsewhere = await signIn('Heron Watcher');
    const change = (cookie: string, body: object) => open.post('/api/session/password').set('Cookie', cookie).send(body);
    const next = 'the heron stands still';
    expect(said(await change('', { password: PASSWORD, next }).expect(401))).toBe('sign in first');
    expect(said(await change(here, { password: 'low water', next }).expect(403))).toBe('that is not your password as it is now');
    expect(said(await change(here, { password: PASSWORD, next: 'short' }).expect(400))).toContain('at least 10');
    const response = await change(here, { password: PASSWORD, next }).expect(200);
    const [fresh] = (response.headers['set-cookie'] as unknown as string[])[0].split(';');
    await open.get('/api/shots').set('Cookie', fresh).expect(200);
    for (const old of [here, elsewhere]) await open.get('/api/shots').set('Cookie', old).expect(401);
    await open.post('/api/session').send({ name: 'Heron Watcher', password: PASSWORD }).expect(401);
    await signIn('Heron Watcher', next);
  });

  test('who changed what is written down: by name, or as this machine where nobody signs in', async () => {
    const { api } = bench;
    await api.post(`/api/shots/${shotId}/undo`).send({}).expect(200);
    await api.post(`/api/shots/${shotId}/redo`).send({}).expect(200);
    const read = async () => (await api.get('/api/changes').expect(200)).body as Change[];
    for (let n = 0; (await read())[0].person !== 'this machine' && n < 50; n++) await new Promise((resolve) => setTimeout(resolve, 20));
    const changes = await read();
    expect(changes[0]).toMatchObject({ person: 'this machine', shot: 'heron' });
    expect(changes).toContainEqual(expect.objectContaining({ person: 'Wheelwright', shot: 'heron', what: 'took the last change back' }));
    expect(changes).toContainEqual(expect.objectContaining({ person: 'Warden', shot: null, what: 'added the person "Heron Watcher"' }));
    expect(changes).toContainEqual(expect.objectContaining({ person: 'this machine', what: 'Reading' }));
    expect(changes).toContainEqual(expect.objectContaining({ person: 'Heron Watcher', what: 'changed the own password' }));
    expect(JSON.stringify(changes)).not.toContain(PASSWORD);
    expect(wordsOf('ordered the delivery $', { name: 'dusk' })).toBe('ordered the delivery "dusk"');
    expect(wordsOf('$', { label: 'Shutter 90' })).toBe('Shutter 90');
  });

  test('a route that changes something says who may use it, or there is no server', () => {
    const may = routeTerms(bench.services),
      api = express.Router();
    api.get('/tide', () => undefined);
    api.post('/tide', may.ask, () => undefined);
    api.delete('/tide', may.administer('drained it'), () => undefined);
    expect(() => assertTerms(api)).not.toThrow();
    api.put('/tide/:level', () => undefined);
    expect(() => assertTerms(api)).toThrow('put /tide/:level');
  });

  test('after ten wrong tries an address has to wait', async () => {
    const { services } = bench;
    const fresh = request(makeApp({ ...services, config: { ...services.config, signInRequired: true } }));
    for (let n = 0; n < 10; n++)
      await fresh
        .post('/api/session')
        .send({ name: 'Warden', password: `guess ${n}` })
        .expect(401);
    expect(said(await fresh.post('/api/session').send({ name: 'Warden', password: PASSWORD }).expect(429))).toContain(
      'wait a quarter of an hour',
    );
  }, 30000);

  test('beyond this machine only pages of the said addresses are answered', async () => {
    const { services } = bench;
    const base = { IVREX_DATABASE_URL: 'postgresql://x', IVREX_ROOT: '/r', IVREX_DATA: '/d', IVREX_THREADS: '2' };
    expect(() => readConfig({ ...base, IVREX_HOST: '0.0.0.0' })).toThrow('IVREX_PUBLIC is missing');
    expect(() => readConfig({ ...base, IVREX_HOST: 'marsh' })).toThrow('IVREX_HOST is not usable');
    expect(() => readConfig({ ...base, IVREX_PUBLIC: 'ftp://marsh' })).toThrow('IVREX_PUBLIC is not usable');
    expect(readConfig(base)).toMatchObject({ signInRequired: false, publicOrigins: null });
    expect(readConfig({ ...base, IVREX_HOST: '10.1.2.3' })).toMatchObject({
      signInRequired: true,
      publicOrigins: ['http://10.1.2.3:4780'],
    });
    const config = {
      ...services.config,
      ...pickPublic(readConfig({ ...base, IVREX_HOST: '0.0.0.0', IVREX_PUBLIC: 'https://ivrex.marsh.example' })),
    };
    const far = request(makeApp({ ...services, config }));
    const ask = (host: string, origin?: string) => {
      const asked = far.get('/api/session').set('Host', host);
      return origin === undefined ? asked : asked.set('Origin', origin);
    };
    await ask('ivrex.marsh.example', 'https://ivrex.marsh.example').expect(200);
    await ask('ivrex.marsh.example', 'http://ivrex.marsh.example').expect(403);
    await ask('127.0.0.1').expect(403);
    const response = await far
      .post('/api/session')
      .set('Host', 'ivrex.marsh.example')
      .send({ name: 'Warden', password: PASSWORD })
      .expect(200);
    expect(String(response.headers['set-cookie'])).toContain('; Secure; SameSite=Strict');
  });
});

function pickPublic({ publicOrigins, isPublicHttps, signInRequired }: Services['config']) {
  return { publicOrigins, isPublicHttps, signInRequired };
}
