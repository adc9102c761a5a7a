/** So many requests a second are taken from one address; where the service is open, as many as it likes. */
import type { RequestHandler } from 'express';
import { rateLimit } from 'express-rate-limit';
import { ProblemError } from '../problems.js';
import type { HttpHost } from './host.js';

const USUAL_REQUESTS_A_SECOND = 100;

export function limitRequests({ door, project }: HttpHost): RequestHandler {
  const most = () => project.file.limits?.requestsASecond ?? USUAL_REQUESTS_A_SECOND;
  return rateLimit({
    windowMs: 1_000,
    limit: most,
    keyGenerator: (request) => door.peer(request).address,
    skip: () => project.file.limits?.requestsASecond === undefined && door.isOpen,
    standardHeaders: false,
    legacyHeaders: false,
    // Addresses are ours: what a proxy says is judged at the door.
    validate: false,
    handler: (request, response, next) => {
      response.set('retry-after', '1');
      const { address } = door.peer(request);
      next(new ProblemError('requests-too-many', `${address} sent more than ${most()} within a second`));
    },
  });
}
