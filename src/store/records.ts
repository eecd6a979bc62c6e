import { z } from "zod";
import { manifestSchema } from "@/core/blind/pack";

export type {
  Candidate,
  Comparison,
  Finding,
  Hand,
  Measurement,
  Moment,
  Note,
  Pack,
  Passage,
  Render,
  Seal,
  SightedVerdict,
} from "@/core/archive/rows";
export type { Region } from "@/core/audio/region";
export type { Run } from "@/core/blind/run";

const id = z.string().min(1);
const isoTime = z.iso.datetime();

/** An imported file, bit for bit, once for each content. */
export const audioSchema = z.object({ hash: z.string(), bytes: z.instanceof(Blob) });
export type Audio = z.infer<typeof audioSchema>;

/** Samples worked out of imports, as a file: decoded, at another rate, read between. Kept so that it is done once. */
export const copySchema = z.object({
  key: z.string(),
  bytes: z.instanceof(Blob),
  byteCount: z.number().int(),
  usedAt: z.number(),
});
export type Copy = z.infer<typeof copySchema>;

/** A listening pack that came from someone else; its audio lies with the imports. */
export const guestPackSchema = z.object({ id, manifest: manifestSchema, openedAt: isoTime });
export type GuestPack = z.infer<typeof guestPackSchema>;

/** A folder on this computer whose files belong to a comparison, as it was when it was last looked through. Known to this browser alone. */
export const folderSchema = z.object({
  comparisonId: id,
  name: z.string(),
  handle: z.custom<FileSystemDirectoryHandle>((value) => typeof value === "object" && value !== null),
  /** Those that were taken or passed over, as they were then. */
  files: z.array(z.object({ path: z.string(), byteLength: z.number(), lastModified: z.number() })),
});
export type Folder = z.infer<typeof folderSchema>;

/** What was found of a listener's hearing on some equipment, by the code they go by. */
export const hearingSchema = z.object({
  code: z.string(),
  equipment: z.string(),
  highestHz: z.number().nullable(),
  unheardHz: z.number().nullable(),
  checkedAt: isoTime,
});
export type Hearing = z.infer<typeof hearingSchema>;

export const settingSchema = z.object({ key: z.string(), value: z.unknown() });
export type Setting = z.infer<typeof settingSchema>;

export const analysisSchema = z.object({
  key: z.string(),
  value: z.unknown(),
  /** About how much room it takes, and when it was last used; absent in those kept by earlier versions. */
  byteCount: z.number().optional(),
  usedAt: z.number().optional(),
});
export type Analysis = z.infer<typeof analysisSchema>;

/** A key that signs runs taken in this browser. Its private half cannot be read out, by this program or any other. */
export type DeviceKey = { id: string; privateKey: CryptoKey; publicKeyHex: string; createdAt: string };
