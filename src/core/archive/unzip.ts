import { configure, type FileEntry, type Reader, Writer, ZipReader } from "@zip.js/zip.js";
import { fail, type Outcome, succeed } from "../outcome";
import { OTHER_COPY } from "./archive";

// Its own workers are started from addresses made at run time, which the page's headers forbid; entries are stored, so there is little work.
configure({ useWebWorkers: false });

/** What is in a zip, by name; nothing is read but the list. */
export type ZipFiles = ReadonlyMap<string, FileEntry>;

/** Entries of a zip: ten times a comparison of a thousand renders. */
const MOST_ENTRIES = 10_000;
/** Bytes of text that is held as a whole: an index with a thousand renders and a thousand runs has 40 MB. */
const MOST_TEXT_BYTES = 64 * 2 ** 20;

/** The list of a zip; a failure in words where it is none. `what` says what it was hoped to be, `advice` what to do. */
export async function listed<T>(
  reader: Reader<T>,
  { fileName, what, advice }: { fileName: string; what: string; advice: string },
): Promise<Outcome<ZipFiles>> {
  const files = new Map<string, FileEntry>();
  try {
    for await (const entry of new ZipReader(reader).getEntriesGenerator()) {
      if (!entry.directory) files.set(entry.filename, entry);
      if (files.size > MOST_ENTRIES) {
        return fail(`${fileName} is not a valid ${what}: it lists more than ${MOST_ENTRIES} files.`, advice);
      }
    }
  } catch {
    return fail(`${fileName} is not a valid ${what}: not a zip, or cut short.`, advice);
  }
  return succeed(files);
}

/** Hands on what is unpacked, and ends it where more comes than was declared. */
class Bounded extends Writer<null> {
  private count = 0;

  constructor(
    private readonly mostBytes: number,
    private readonly sink: (bytes: Uint8Array<ArrayBuffer>) => void | Promise<void>,
  ) {
    super();
  }
  override async writeUint8Array(bytes: Uint8Array<ArrayBuffer>): Promise<void> {
    this.count += bytes.byteLength;
    if (this.count > this.mostBytes) throw new RangeError("more bytes than were declared");
    await this.sink(bytes);
  }
  override async getData(): Promise<null> {
    return null;
  }
}

/** Unpacks an entry piece by piece; never more than it declares. Throws where it cannot be read, or `signal` ends it. */
export async function unpack(
  entry: FileEntry,
  sink: (bytes: Uint8Array<ArrayBuffer>) => void | Promise<void>,
  signal?: { readonly aborted: boolean },
): Promise<void> {
  await entry.getData(new Bounded(entry.uncompressedSize, sink), { signal: signal as never, checkSignature: true });
}

/** The bytes of an entry of text. What declares too much is refused before anything of it is unpacked. */
export async function textBytes(fileName: string, entry: FileEntry): Promise<Outcome<Uint8Array>> {
  const { filename, uncompressedSize } = entry;
  if (uncompressedSize > MOST_TEXT_BYTES) {
    const megabytes = Math.round(uncompressedSize / 2 ** 20);
    return fail(
      `${fileName} is damaged: ${filename} would be ${megabytes} MB of text; the limit is ${MOST_TEXT_BYTES / 2 ** 20} MB.`,
      OTHER_COPY,
    );
  }
  const parts: Uint8Array[] = [];
  try {
    await unpack(entry, (bytes) => void parts.push(bytes));
  } catch {
    return fail(`${fileName} is damaged: ${filename} cannot be read.`, OTHER_COPY);
  }
  const bytes = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    bytes.set(part, at);
    at += part.length;
  }
  return succeed(bytes);
}
