import { readHitToken } from '@verbalis/core/engagement';
import type { Request, RequestHandler, Response } from 'express';
import type { Asked, Note } from './notes.js';

/** One transparent point (GIF 89a). */
const PICTURE = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
/** Nothing between may answer in our place, and the target need not know which email a reader comes from. */
const HEADERS = { 'Cache-Control': 'no-store, private', 'Referrer-Policy': 'no-referrer', 'X-Robots-Tag': 'noindex' };

interface Options {
  readonly key: Uint8Array;
  readonly note: Note;
  /** Answers a link that is not one of ours. */
  readonly refuse: (request: Request, response: Response) => void;
}

function askedOf(request: Request): Asked {
  const { headers } = request;
  const purpose = headers['sec-purpose'] ?? headers['purpose'] ?? headers['x-purpose'] ?? headers['x-moz'] ?? '';
  return { method: request.method, agent: headers['user-agent'] ?? '', purpose: String(purpose), ip: request.ip ?? '' };
}

/** The token in what is left of the address, without a query. */
function tokenOf({ url }: Request): string {
  const end = url.indexOf('?');
  return end === -1 ? url.slice(1) : url.slice(1, end);
}

/** Only what changes nothing may be asked for. */
function refusesMethod(request: Request, response: Response): boolean {
  if (request.method === 'GET' || request.method === 'HEAD') return false;
  response.writeHead(405, { Allow: 'GET, HEAD' }).end();
  return true;
}

/**
 * What links and pictures in emails lead to: asked by readers without a key, and answered when the hit is noted. Handlers without a router of
 * their own, since this is the part of the service that strangers ask most.
 */
export function hitPages({ key, note, refuse }: Options): { readonly go: RequestHandler; readonly image: RequestHandler } {
  return {
    async go(request, response) {
      if (refusesMethod(request, response)) return;
      const token = readHitToken(key, tokenOf(request));
      if (token === undefined || token.url === '') {
        refuse(request, response);
        return;
      }
      await note(token, askedOf(request));
      response.writeHead(302, { ...HEADERS, Location: token.url, 'Content-Length': 0 }).end();
    },

    async image(request, response) {
      if (refusesMethod(request, response)) return;
      const token = readHitToken(key, tokenOf(request));
      if (token === undefined || token.url !== '') {
        response.writeHead(404, HEADERS).end();
        return;
      }
      await note(token, askedOf(request));
      response.writeHead(200, { ...HEADERS, 'Content-Type': 'image/gif', 'Content-Length': PICTURE.length });
      response.end(request.method === 'HEAD' ? undefined : PICTURE);
    },
  };
}
