/** Long enough for any browser to have begun to write the file. */
const KEEP_URL_MS = 60_000;

/** Hands a file over as a download; the browser never writes over one that is there. */
export function download(name: string, blob: Blob): void {
  const url = URL.createObjectURL(blob);
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), KEEP_URL_MS);
}
