/**
 * `npm run kernel`: makes code (WebAssembly, for browsers and Node alike) of what is in packages/core/kernel;
 * with `--check` it says whether what is there was made of it.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

/** What is made, of what, and with what memory. */
const KERNELS = [
  {
    source: 'packages/core/kernel/echo-kernel.ts',
    made: 'packages/core/src/hearing/echo-kernel-code.ts',
    name: 'ECHO_KERNEL_CODE',
    // In pages of 64 kB: there are places for what it works with.
    memory: ['--initialMemory', '4', '--maximumMemory', '4'],
  },
  {
    source: 'packages/core/kernel/resampler-kernel.ts',
    made: 'packages/core/src/audio/resampler-kernel-code.ts',
    name: 'RESAMPLER_KERNEL_CODE',
    memory: ['--importMemory'],
  },
];

async function moduleOf({ source, name, memory }) {
  const baseDir = fileURLToPath(new URL('..', import.meta.url));
  const options = ['-O3', '--noAssert', '--enable', 'simd', '--runtime', 'stub', ...memory];
  let bytes = [];
  const writeFile = (_, contents) => (bytes = [...contents]);
  const { error, stderr } = await asc.main(
    [source, '--outFile', 'kernel.wasm', '--baseDir', baseDir, ...options],
    { writeFile },
  );
  if (error) throw new Error(`${source}: ${stderr.toString()}`);
  const rows = [];
  for (let at = 0; at < bytes.length; at += 30) rows.push(`  ${bytes.slice(at, at + 30).join(', ')},`);
  return `// Made by \`npm run kernel\` of ${source}.\nexport const ${name} = Uint8Array.from([\n${rows.join('\n')}\n]);\n`;
}

for (const kernel of KERNELS) {
  const made = await moduleOf(kernel);
  if (!process.argv.includes('--check')) writeFileSync(kernel.made, made);
  else if (readFileSync(kernel.made, 'utf8') !== made) {
    process.stderr.write(
      `${kernel.made} was not made of ${kernel.source} as it is now; run: npm run kernel\n`,
    );
    process.exitCode = 1;
  }
}
