import { randomUUID } from 'node:crypto';
import path from 'node:path';
import express, { type Express } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Services } from '../services/services';
import { errorMapper } from './error-mapper';
import { apiRoutes } from './routes';
import { sameOrigin } from './same-origin';

export function makeApp(services: Services): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    pinoHttp({
      logger: services.log,
      genReqId: () => randomUUID(),
      quietReqLogger: true,
      customLogLevel: (_request, response, error) => (error !== undefined || response.statusCode >= 500 ? 'error' : 'debug'),
    }),
  );
  app.use(sameOrigin(services.config));
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          workerSrc: ["'self'", 'blob:'],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          objectSrc: ["'none'"],
          baseUri: ["'none'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      // Cross-origin isolation: shared memory between the page's workers.
      crossOriginOpenerPolicy: { policy: 'same-origin' },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
      crossOriginResourcePolicy: { policy: 'same-origin' },
      strictTransportSecurity: false,
    }),
  );
  app.use('/api', apiRoutes(services));
  const { clientFolder } = services.config;
  app.use('/assets', express.static(path.join(clientFolder, 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }));
  app.use(express.static(clientFolder, { index: false }));
  app.get('/{*any}', (_request, response) => {
    response.sendFile(path.join(clientFolder, 'index.html'), { headers: { 'Cache-Control': 'no-cache' } });
  });
  app.use(errorMapper);
  return app;
}
