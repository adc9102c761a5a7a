/**
 * Kernels: arithmetic of packages/core/kernel, compiled to WebAssembly. Pages may forbid that (and ours do, by their content security
 * policy): whoever uses a kernel has the same in JavaScript, which is slower.
 */

export interface KernelMemory {
  readonly buffer: ArrayBuffer;
}

/** In browsers and in Node alike; neither's types are known here. */
declare const WebAssembly: {
  Memory: new (pages: { initial: number }) => KernelMemory;
  Module: new (code: Uint8Array) => object;
  Instance: new (module: object, imports: { env: { memory?: KernelMemory } }) => { exports: unknown };
};

const PAGE_BYTES = 65_536;
/** The smallest module that there is. */
const NOTHING = Uint8Array.of(0, 97, 115, 109, 1, 0, 0, 0);
const modules = new Map<Uint8Array, object>();

/** May WebAssembly run here? */
export const KERNELS_RUN = mayRun();

function mayRun(): boolean {
  try {
    return Boolean(new WebAssembly.Module(NOTHING));
  } catch {
    return false;
  }
}

export function kernelMemory(bytes: number): KernelMemory {
  return new WebAssembly.Memory({ initial: Math.ceil(bytes / PAGE_BYTES) });
}

/** What a copy of a kernel exports. @param memory what it works in; it has one of its own where that is not given */
export function kernel<Exports>(code: Uint8Array, memory?: KernelMemory): Exports {
  const module = modules.get(code) ?? new WebAssembly.Module(code);
  modules.set(code, module);
  return new WebAssembly.Instance(module, { env: memory ? { memory } : {} }).exports as Exports;
}
