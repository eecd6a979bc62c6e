import { answerForm } from "../answer";
import { inThread } from "../pool";
import type { Upload } from "../upload";

const ADVICE =
  "Send multipart/form-data with one file each named here and yonder. Optional: a file named dry; from and to in seconds. Example: curl -F here=@a.wav -F yonder=@b.wav -F from=4.3 -F to=8.8 http://localhost:3000/api/explain";

/** A number of seconds among the fields; undefined where it is not there, NaN where it is none. */
function secondsOf({ otherFields }: Upload, name: string): number | undefined {
  const field = otherFields.find((f) => f.name === name);
  return field === undefined ? undefined : field.value.trim() === "" ? Number.NaN : Number(field.value);
}

/** Analyses a pair: the same JSON as `yonder explain` prints. */
export const POST = (request: Request): Promise<Response> =>
  answerForm(request, {
    advice: ADVICE,
    fileFields: ["here", "yonder", "dry"],
    problem: (upload) => {
      const named = (field: string) => upload.files.filter((f) => f.field === field).length;
      const isNoTime = (name: string) => {
        const seconds = secondsOf(upload, name);
        return seconds !== undefined && !(seconds >= 0);
      };
      const problems = [
        named("here") !== 1 && "exactly one file named here is needed",
        named("yonder") !== 1 && "exactly one file named yonder is needed",
        named("dry") > 1 && "at most one file named dry is allowed",
        isNoTime("from") && "from must be a number of seconds",
        isNoTime("to") && "to must be a number of seconds",
      ].filter(Boolean);
      return problems.length > 0 ? `${problems.join("; ")}.` : null;
    },
    run: (upload, signal) => {
      const { folder, files } = upload;
      const [here, yonder, dry] = ["here", "yonder", "dry"].map((field) => files.find((f) => f.field === field));
      if (!here || !yonder) throw new Error("the form was looked at before");
      const region = { from: secondsOf(upload, "from"), to: secondsOf(upload, "to") };
      return inThread("explain", { folder, here, yonder, dry: dry ?? null, ...region }, signal);
    },
  });
