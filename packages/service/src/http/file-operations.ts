/** The YAML files of the project: read, checked, written, renamed and removed, so that nobody's change is lost. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Request } from 'express';
import { Type } from '@sinclair/typebox';
import { FileSummary, ProjectState, ProjectText, RenameRequest, Shape } from '@verbalon/protocol';
import { ProblemError, problemOf } from '../problems.js';
import { findingsOf } from '../project/findings.js';
import type { Project } from '../project/project.js';
import { newlyRun } from '../project/runs-code.js';
import { SHAPES } from '../project/shapes.js';
import { FILE_KINDS, isFileKind, type FileKind } from '../project/watching.js';
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
      handle: (_request, response) =>
        response.json({
          title: project.file.title,
          findings: findingsOf(project, secrets),
          restarts: [...project.restarts],
        }),
    },
    {
      method: 'get',
      path: '/v1/files',
      id: 'listFiles',
      scope: 'read',
      summary: 'The files of the project that can be edited: assistants, engines (their cards) and answers',
      answers: [{ type: 'application/json', schema: Type.Array(FileSummary) }],
      handle: (_request, response) =>
        response.json(
          FILE_KINDS.flatMap((kind) =>
            project
              .namesOf(kind)
              .map((name) => ({ kind, name, broken: project.problems().has(`${kind}/${name}`) })),
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
        const { kind, name } = fileIn(request);
        const yaml = project.text(kind, name);
        response.set('etag', etagOf(yaml)).json(described(project, kind, name, yaml));
      },
    },
    {
      method: 'post',
      path: '/v1/files/{kind}/{name}/check',
      id: 'checkFile',
      scope: 'manage',
      summary: 'Checks a draft of a file; nothing is written',
      body: 'yaml',
      answers: [{ type: 'application/json', schema: ProjectText }],
      example: {
        path: { kind: 'assistants', name: 'tansy' },
        body: 'title: A draft that lacks nearly everything\n',
      },
      handle: (request, response) => {
        const { kind, name } = fileIn(request);
        response.json(described(project, kind, name, yamlOf(request.body)));
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
      body: 'yaml',
      answers: [{ type: 'application/json', schema: ProjectText }],
      handle: async (request, response) => {
        const { kind, name } = fileIn(request);
        const yaml = yamlOf(request.body);
        checkMatch(project, request, kind, name);
        const runs = newlyRun(project, kind, name, yaml);
        if (runs !== null)
          throw new ProblemError('file-runs-code', `${kind}/${name}.yaml did not name ${runs} before`);
        const path = project.fileOf(kind, name);
        mkdirSync(join(project.folder, kind), { recursive: true });
        // Written beside it and moved over it: whoever reads in the meantime sees the old one or the new one, never half.
        writeFileSync(`${path}.new`, yaml);
        renameSync(`${path}.new`, path);
        await project.readAgain({ what: kind, name });
        response.set('etag', etagOf(yaml)).json(described(project, kind, name, yaml));
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
      handle: async (request, response) => {
        const { kind, name } = fileIn(request);
        const { to } = bodyOf(request, RenameRequest);
        const yaml = project.text(kind, name);
        if (existsSync(project.fileOf(kind, to))) throw new ProblemError('file-there', `${kind}/${to}.yaml`);
        checkUnused(project, kind, name);
        renameSync(project.fileOf(kind, name), project.fileOf(kind, to));
        await project.readAgain({ what: kind, name });
        await project.readAgain({ what: kind, name: to });
        response.set('etag', etagOf(yaml)).json(described(project, kind, to, yaml));
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
      handle: async (request, response) => {
        const { kind, name } = fileIn(request);
        project.text(kind, name);
        checkUnused(project, kind, name);
        const kept = join(REMOVED, kind, `${name}.${new Date().toISOString().replaceAll(':', '-')}.yaml`);
        mkdirSync(join(project.folder, REMOVED, kind), { recursive: true });
        renameSync(project.fileOf(kind, name), join(project.folder, kept));
        await project.readAgain({ what: kind, name });
        response.json({ kept });
      },
    },
  ];
}

/** @throws ProblemError `request-broken` */
function fileIn({ params }: Request): { kind: FileKind; name: string } {
  const [kind, name] = [String(params.kind), String(params.name)];
  if (!isFileKind(kind))
    throw new ProblemError('request-broken', `"${kind}" is not one of ${FILE_KINDS.join(', ')}`);
  if (!/^[a-z][a-z0-9-]{0,62}$/.test(name))
    throw new ProblemError('request-broken', `"${name}" is no name: lower-case letters, digits and hyphens`);
  return { kind, name };
}

function yamlOf(body: unknown): string {
  if (typeof body !== 'string')
    throw new ProblemError('request-broken', 'it has no text body of the type text/yaml');
  return body;
}

function etagOf(text: string): string {
  return `"${createHash('sha256').update(text).digest('hex').slice(0, 20)}"`;
}

/** @throws ProblemError where another one was read than is there, or none is there where one was read */
function checkMatch(project: Project, { headers }: Request, kind: FileKind, name: string): void {
  const isThere = existsSync(project.fileOf(kind, name));
  if (headers['if-none-match'] === '*' && isThere)
    throw new ProblemError('file-there', `${kind}/${name}.yaml`);
  if (headers['if-none-match'] === '*') return;
  const before = project.text(kind, name);
  const expected = headers['if-match'];
  if (expected !== undefined && expected !== etagOf(before))
    throw new ProblemError('file-changed', `${kind}/${name}.yaml is not what was read`);
}

/** @throws ProblemError `file-used` */
function checkUnused(project: Project, kind: FileKind, name: string): void {
  const users = project.usersOf(kind, name);
  if (users.length > 0)
    throw new ProblemError('file-used', `${kind}/${name}.yaml is named by ${users.join(', ')}`);
}

function described(project: Project, kind: FileKind, name: string, yaml: string): ProjectText {
  const problem = project.problemIn(kind, name, yaml);
  return { kind, name, yaml, problem: problem && problemOf(problem.code, problem.detail, problem.line) };
}
