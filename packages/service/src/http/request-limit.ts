/** So many requests a second are taken from one address. */
import type { RequestHandler } from 'express';
import type { HttpHost } from './host.js';

export function limitRequests({ door }: HttpHost): RequestHandler {
  return async (request, response, next) => {
    try {
      await door.rate.take(door.peer(request).address);
    } catch (error) {
      response.set('retry-after', '1');
      throw error;
    }
    next();
  };
}
