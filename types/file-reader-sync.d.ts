/** Reads a Blob at once, in workers; TypeScript keeps it in a library that cannot stand beside that of pages. */
declare class FileReaderSync {
  readAsArrayBuffer(blob: Blob): ArrayBuffer;
}
