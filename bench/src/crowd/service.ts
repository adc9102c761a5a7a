/**
 * A process of its own: the service with engines that answer at once. It tells its address, and what it took
 * whenever it is asked.
 */
import { Session } from 'node:inspector/promises';
import { EngineRegistry } from '@verbalon/service';
import { pino } from 'pino';
import { benchService } from '../common/stage.js';
import { INSTANT_ENGINES } from './engines.js';
import { partsOf, type CpuProfile } from './parts.js';

const service = await benchService([], new EngineRegistry(INSTANT_ENGINES, pino({ level: 'silent' })));
const inspector = new Session();
inspector.connect();
await inspector.post('Profiler.enable');
await inspector.post('Profiler.setSamplingInterval', { interval: 500 });

process.on('message', (asked: 'begin' | 'profile' | 'take' | 'parts' | 'end') => {
  void answer(asked).then((found) => process.send!(found, () => asked === 'end' && process.exit()));
});

let before = process.cpuUsage();

/** What nothing else could be had for: all that is in use after everything unused was given back. */
function heldMb(): number {
  (globalThis as { gc?: () => void }).gc?.();
  const { heapUsed, external } = process.memoryUsage();
  return (heapUsed + external) / 2 ** 20;
}

async function answer(asked: string): Promise<object> {
  if (asked === 'begin') before = process.cpuUsage();
  if (asked === 'take') {
    const { user, system } = process.cpuUsage(before);
    return {
      cpuMs: (user + system) / 1_000,
      memoryMb: process.memoryUsage().rss / 2 ** 20,
      heldMb: heldMb(),
    };
  }
  if (asked === 'profile') await inspector.post('Profiler.start');
  if (asked === 'parts') {
    const { profile } = (await inspector.post('Profiler.stop')) as { profile: CpuProfile };
    return partsOf(profile);
  }
  if (asked === 'end') await service.end();
  return {};
}
process.send!({ address: service.address });
