/** Files that were chosen, as the one that is sent: a single one as it is, several as a zip with their paths. */
import { MOST_BYTES } from "@/api/imports";

export interface Gathered {
  name: string;
  content: Blob;
}

/** Throws an Error, in words for people, for what is too much. */
export async function gathered(files: File[]): Promise<Gathered> {
  const size = files.reduce((sum, file) => sum + file.size, 0);
  if (size > MOST_BYTES) {
    throw new Error(`That is ${(size / 1e6).toFixed(0)} MB; the limit is ${MOST_BYTES / 1e6} MB. Split it into several files.`);
  }
  const [first] = files;
  if (!first) throw new Error("There is no file in it.");
  if (files.length === 1) return { name: first.name, content: first };
  const { zip } = await import("fflate");
  const entries: Record<string, Uint8Array> = {};
  for (const file of files) entries[file.webkitRelativePath || file.name] = new Uint8Array(await file.arrayBuffer());
  const packed = await new Promise<Uint8Array<ArrayBuffer>>((done, failed) => {
    zip(entries, { level: 0 }, (error, data) => (error ? failed(error) : done(data as Uint8Array<ArrayBuffer>)));
  });
  const folder = first.webkitRelativePath.split("/")[0];
  return { name: `${folder || `${files.length} files`}.zip`, content: new Blob([packed]) };
}
