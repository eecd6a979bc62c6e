// The little of the host that core may lean on besides the language: the same in a page, a worker and Node.
declare function atob(base64: string): string;

declare namespace WebAssembly {
  class Module {
    constructor(bytes: Uint8Array);
  }
  class Instance {
    constructor(module: Module);
    readonly exports: object;
  }
  interface Memory {
    readonly buffer: ArrayBuffer;
    grow(pages: number): number;
  }
}
