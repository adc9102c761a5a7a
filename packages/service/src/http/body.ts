/**
 * The body of a request is read when it is known who asks: until then it costs nothing. It is never inflated.
 */
import type { IncomingMessage } from 'node:http';
import express, { type Request, type RequestHandler, type Response } from 'express';
import { nestsTooDeep } from '../common/nesting.js';
import { ProblemError } from '../problems/problems.js';

/** Texts of files are small; a body that is larger is a mistake. */
const MOST_BYTES = 1_000_000;
/** What somebody without a key may send: a key to sign in with, a wish for a token. */
const MOST_BYTES_OF_NOBODY = 4_096;

/** @throws ProblemError `request-broken`: body-parser tells what verify throws as it is */
function verify(_request: IncomingMessage, _response: unknown, bytes: Buffer): void {
  if (nestsTooDeep(bytes)) throw new ProblemError('request-broken', 'its body is nested too deep');
}

/** What texts of a project's files are sent as: YAML, and lexicons. */
export const FILE_TYPES = ['text/yaml', 'application/pls+xml'];

const readersFor = (limit: number): RequestHandler[] => [
  express.json({ limit, inflate: false, verify }),
  express.text({ type: FILE_TYPES, limit, inflate: false }),
];
const usual = readersFor(MOST_BYTES);
const ofNobody = readersFor(MOST_BYTES_OF_NOBODY);

/**
 * Puts a body of JSON, or the text of a file, into the request. @param isKnown somebody with a right of their
 * own asks @throws what Express throws for one that cannot be read
 */
export async function readBody(request: Request, response: Response, isKnown: boolean): Promise<void> {
  for (const read of isKnown ? usual : ofNobody)
    await new Promise<void>((resolve, reject) => {
      void read(request, response, (error: unknown) =>
        error === undefined ? resolve() : reject(error as Error),
      );
    });
}
