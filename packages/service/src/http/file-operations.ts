/** The files of the project: read, checked, written, renamed and removed, so that nobody's change is lost. */
import { createHash } from 'node:crypto';
import { join, parse } from 'node:path';
import type { Request } from 'express';
import { Type } from '@sinclair/typebox';
import {
  EDITABLE_KINDS,
  FileSummary,
  ProjectState,
  ProjectText,
  RenameRequest,
  Shape,
  type EditableKind,
} from '@verbalon/protocol';
import { ProblemError, problemOf } from '../problems/problems.js';
import { EditableFile, editableNames, isEditableKind } from '../project/editable-file.js';
import { findingsOf } from '../project/findings.js';
import type { Project } from '../project/project.js';
import { SHAPES } from '../project/shapes.js';
import { FILE_TYPES } from './body.js';
import type { HttpHost } from './host.js';
import { bodyOf, type Operation } from './operation.js';

/** Files that are removed are kept here, in the project's folder. */
const REMOVED = '.removed';

export function fileOperations({ project, secrets }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/project',
      id: 'showProject',
      scope: 'read',
      summary:
        'What is wrong with the files of the project, as `verbalon check` tells it, and what waits for another start',
      answers: [{ type: 'application/json', schema: ProjectState }],
      example: {},
      handle: (_request, response) =>
        response.json({
          title: project.file.title,
          findings: findingsOf(project, secrets),
          restarts: project.atStart.waiting,
        }),
    },
    {
      method: 'get',
      path: '/v1/files',
      id: 'listFiles',
      scope: 'read',
      summary:
        'The files of the project that can be edited: assistants, engines (their cards), answers, errands, lexicons and project.yaml',
      answers: [{ type: 'application/json', schema: Type.Array(FileSummary) }],
      example: {},
      handle: (_request, response) =>
        response.json(
          EDITABLE_KINDS.flatMap((kind) =>
            editableNames(project, kind).map((name) => ({
              kind,
              name,
              broken: new EditableFile(project, kind, name).isBroken,
            })),
          ),
        ),
    },
    {
      method: 'get',
      path: '/v1/shapes',
      id: 'listShapes',
      scope: 'read',
      summary: 'What a new file may begin as',
      answers: [{ type: 'application/json', schema: Type.Array(Shape) }],
      example: {},
      handle: (_request, response) => response.json(SHAPES),
    },
    {
      method: 'get',
      path: '/v1/files/{kind}/{name}',
      id: 'readFile',
      scope: 'read',
      summary: 'A file, and what is wrong with it, if anything is; its ETag is for writing it back',
      answers: [{ type: 'application/json', schema: ProjectText }],
      example: { path: { kind: 'assistants', name: 'tansy' } },
      handle: (request, response) => {
        const file = fileIn(project, request);
        const text = file.read();
        response.set('etag', etagOf(text)).json(described(file, text));
      },
    },
    {
      method: 'post',
      path: '/v1/files/{kind}/{name}/check',
      id: 'checkFile',
      scope: 'manage',
      summary: 'Checks a draft of a file; nothing is written',
      body: 'file',
      answers: [{ type: 'application/json', schema: ProjectText }],
      example: {
        path: { kind: 'assistants', name: 'tansy' },
        body: 'title: A draft that lacks nearly everything\n',
      },
      handle: (request, response) => {
        response.json(described(fileIn(project, request), textOf(request.body)));
      },
    },
    {
      method: 'put',
      path: '/v1/files/{kind}/{name}',
      id: 'writeFile',
      scope: 'manage',
      writesFiles: true,
      summary:
        'Writes a file, if it can be used. If-Match (the ETag that was read) keeps the changes of others safe; If-None-Match: * makes a new one',
      body: 'file',
      answers: [{ type: 'application/json', schema: ProjectText }],
      example: {
        path: { kind: 'answers', name: 'lost-things' },
        headers: { 'if-none-match': '*' },
        body: 'title: Lost things\nanswers:\n  - name: lost\n    when: [where are lost things]\n    say: [They wait in the porch.]\notherwise: [Ask a warden.]\n',
      },
      handle: async (request, response) => {
        const file = fileIn(project, request);
        const text = textOf(request.body);
        checkMatch(file, request);
        file.checkWritable(text);
        file.write(text);
        await project.readAgain(file.changed);
        response.set('etag', etagOf(text)).json(described(file, text));
      },
    },
    {
      method: 'post',
      path: '/v1/files/{kind}/{name}/rename',
      id: 'renameFile',
      scope: 'manage',
      writesFiles: true,
      summary: 'Gives a file another name, if no other file names it',
      body: RenameRequest,
      answers: [{ type: 'application/json', schema: ProjectText }],
      example: { path: { kind: 'answers', name: 'lost-things' }, body: { to: 'found-things' } },
      handle: async (request, response) => {
        const file = fileIn(project, request);
        const to = new EditableFile(project, file.kind, bodyOf(request, RenameRequest).to);
        const text = file.read();
        file.checkMovable();
        if (to.isThere) throw new ProblemError('file-there', to.path);
        file.move(to.path);
        await project.readAgain(file.changed);
        await project.readAgain(to.changed);
        response.set('etag', etagOf(text)).json(described(to, text));
      },
    },
    {
      method: 'delete',
      path: '/v1/files/{kind}/{name}',
      id: 'removeFile',
      scope: 'manage',
      writesFiles: true,
      summary: `Removes a file, if no other file names it; a copy is kept in ${REMOVED}/ of the project`,
      answers: [{ type: 'application/json', schema: Type.Object({ kept: Type.String() }) }],
      example: { path: { kind: 'answers', name: 'found-things' } },
      handle: async (request, response) => {
        const file = fileIn(project, request);
        file.read();
        file.checkMovable();
        const { dir, name, ext } = parse(file.path);
        const kept = join(REMOVED, dir, `${name}.${new Date().toISOString().replaceAll(':', '-')}${ext}`);
        file.move(kept);
        await project.readAgain(file.changed);
        response.json({ kept });
      },
    },
  ];
}

/** @throws ProblemError `request-broken` */
function fileIn(project: Project, { params }: Request): EditableFile {
  const [kind, name] = [String(params.kind), String(params.name)];
  if (!isEditableKind(kind))
    throw new ProblemError('request-broken', `"${kind}" is not one of ${EDITABLE_KINDS.join(', ')}`);
  return new EditableFile(project, kind, nameIn(name, kind));
}

/** @throws ProblemError `request-broken` */
function nameIn(name: string, kind: EditableKind): string {
  if (kind === 'project' && name !== 'project')
    throw new ProblemError('request-broken', `"${name}" is no name for it: project.yaml is project/project`);
  if (/^[a-z][a-z0-9-]{0,62}$/.test(name)) return name;
  throw new ProblemError('request-broken', `"${name}" is no name: lower-case letters, digits and hyphens`);
}

/** @throws ProblemError `request-broken` */
function textOf(body: unknown): string {
  if (typeof body === 'string') return body;
  throw new ProblemError('request-broken', `it has no text body of the type ${FILE_TYPES.join(' or ')}`);
}

function etagOf(text: string): string {
  return `"${createHash('sha256').update(text).digest('hex').slice(0, 20)}"`;
}

/** @throws ProblemError where another one was read than is there, or none is there where one was read */
function checkMatch(file: EditableFile, { headers }: Request): void {
  if (headers['if-none-match'] === '*') {
    if (file.isThere) throw new ProblemError('file-there', file.path);
    return;
  }
  const before = file.read();
  const expected = headers['if-match'];
  if (expected !== undefined && expected !== etagOf(before))
    throw new ProblemError('file-changed', `${file.path} is not what was read`);
}

function described(file: EditableFile, text: string): ProjectText {
  const problem = file.problemIn(text);
  return {
    kind: file.kind,
    name: file.name,
    path: file.path,
    text,
    problem: problem && problemOf(problem.code, problem.detail, problem.line),
  };
}
