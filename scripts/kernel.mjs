/**
 * `npm run kernel`: makes the echo canceller's code (WebAssembly) of packages/core/kernel, for browsers and Node alike; with `--check`
 * it says whether what is there was made of it.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

const SOURCE = 'packages/core/kernel/echo-kernel.ts';
const MADE = 'packages/core/src/hearing/echo-kernel-code.ts';
/** 64 kB each: what the kernel has places for. */
const PAGES = 4;

/** @returns the text of the module that holds the code */
async function kernelModule() {
  const root = fileURLToPath(new URL('..', import.meta.url));
  const pages = ['--initialMemory', `${PAGES}`, '--maximumMemory', `${PAGES}`];
  const options = ['-O3', '--noAssert', '--enable', 'simd', '--runtime', 'stub', ...pages];
  const files = new Map();
  const { error, stderr } = await asc.main(
    [SOURCE, '--outFile', 'kernel.wasm', '--baseDir', root, ...options],
    {
      writeFile: (name, bytes) => files.set(name, bytes),
    },
  );
  if (error) throw new Error(`${SOURCE}: ${stderr.toString()}`);
  const rows = [];
  const bytes = [...files.get('kernel.wasm')];
  for (let at = 0; at < bytes.length; at += 30) rows.push(`  ${bytes.slice(at, at + 30).join(', ')},`);
  return `// Made by \`npm run kernel\` of packages/core/kernel/echo-kernel.ts.\n// prettier-ignore\nexport const ECHO_KERNEL_CODE = Uint8Array.from([\n${rows.join('\n')}\n]);\n`;
}

const made = await kernelModule();
if (!process.argv.includes('--check')) writeFileSync(MADE, made);
else if (readFileSync(MADE, 'utf8') !== made) {
  process.stderr.write(`${MADE} was not made of ${SOURCE} as it is now; run: npm run kernel\n`);
  process.exitCode = 1;
}
