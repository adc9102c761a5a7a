/**
 * Kernels: arithmetic of packages/core/kernel, compiled to WebAssembly. Pages may forbid that (and ours do,
 * by their content security policy): whoever uses a kernel has the same in JavaScript, which is slower.
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
/** Null for what may not or cannot run here. */
const modules = new Map<Uint8Array, object | null>();

export function kernelMemory(bytes: number): KernelMemory {
  return new WebAssembly.Memory({ initial: Math.ceil(bytes / PAGE_BYTES) });
}

/** May it run here, and can it? */
export function runs(code: Uint8Array): boolean {
  return moduleOf(code) !== null;
}

/**
 * What a copy of a kernel that runs exports. @param memory what it works in; it has one of its own where that
 * is not given
 */
export function kernel<Exports>(code: Uint8Array, memory?: KernelMemory): Exports {
  return new WebAssembly.Instance(moduleOf(code)!, { env: memory ? { memory } : {} }).exports as Exports;
}

function moduleOf(code: Uint8Array): object | null {
  let module = modules.get(code);
  if (module === undefined) {
    try {
      module = new WebAssembly.Module(code);
    } catch {
      module = null;
    }
    modules.set(code, module);
  }
  return module;
}
