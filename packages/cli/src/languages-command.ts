/**
 * `verbalon languages`: what each engine knows, what there are rules for, and how to install what is missing.
 */
import { spawnSync } from 'node:child_process';
import { ENGINE_ROLES, LANGUAGES, primaryOf, speaks } from '@verbalon/core';
import { service } from './service-address.js';
import { terminal } from './terminal.js';

/** Debian packages that bring languages. */
const PACKAGES = [
  { name: 'pocketsphinx-en-us', brings: 'hears English (wire: pocketsphinx)' },
  { name: 'libflite1', brings: 'speaks English (wire: flite)' },
  {
    name: 'espeak-ng',
    brings: 'speaks over 100 languages, German among them (wire: process; verbalon new shows the card)',
  },
] as const;
const ROLE_WORDS = { stt: 'hears', llm: 'thinks', tts: 'speaks' } as const;

export async function languagesCommand({ json }: { json?: boolean }): Promise<void> {
  const engines = await service().engines();
  const tags = [...new Set(engines.flatMap(({ languages }) => languages.map(primaryOf)))]
    .filter((tag) => tag !== '*')
    .sort();
  const rows = tags.map((tag) => ({
    language: tag,
    rules: LANGUAGES.some(({ code }) => code === tag),
    ...Object.fromEntries(
      ENGINE_ROLES.map((role) => [
        role,
        engines.filter((one) => one.role === role && speaks(one, tag)).map(({ name }) => name),
      ]),
    ),
  })) as ({ language: string; rules: boolean } & Record<(typeof ENGINE_ROLES)[number], string[]>)[];
  const packages = PACKAGES.map(({ name, brings }) => ({ name, brings, installed: isInstalled(name) }));
  if (json) return void terminal.stdout.write(`${JSON.stringify({ languages: rows, packages })}\n`);
  const nameOf = new Intl.DisplayNames('en', { type: 'language' });
  for (const row of rows) {
    const whole = ENGINE_ROLES.every((role) => row[role].length > 0);
    terminal.stdout.write(
      `${whole ? '✓' : '·'} ${row.language}  ${nameOf.of(row.language)}${row.rules ? '' : ' (no rules: pauses decide, the engine’s own marks are kept)'}\n`,
    );
    for (const role of ENGINE_ROLES)
      terminal.stdout.write(`      ${ROLE_WORDS[role].padEnd(7)} ${row[role].join(', ') || 'no engine'}\n`);
  }
  terminal.stdout.write('\nOn this machine:\n');
  for (const { name, brings, installed } of packages)
    terminal.stdout.write(
      `${installed ? '✓' : '·'} ${name.padEnd(19)} ${brings}${installed ? '' : `: sudo apt-get install ${name}`}\n`,
    );
}

function isInstalled(name: string): boolean {
  const { stdout } = spawnSync('dpkg-query', ['-W', '-f', '${db:Status-Status}', name], { encoding: 'utf8' });
  return stdout === 'installed';
}
