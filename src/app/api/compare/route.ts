import { answerForm } from "../answer";
import { inThread } from "../pool";

const MOST_RENDERS = 16;

const ADVICE =
  "Send multipart/form-data with one file named reference and one or more named render, such as: curl -F reference=@dry.wav -F render=@a.wav http://localhost:3000/api/compare";

/** Compares renders with a reference, for people who script their studio: the same JSON as `yonder compare` prints. */
export const POST = (request: Request): Promise<Response> =>
  answerForm(request, {
    advice: ADVICE,
    fileFields: ["reference", "render"],
    problem: ({ files }) => {
      const named = (field: string) => files.filter((f) => f.field === field);
      const problems = [
        named("reference").length !== 1 && "exactly one file named reference is needed",
        named("render").length === 0 && "at least one file named render is needed",
        named("render").length > MOST_RENDERS && `at most ${MOST_RENDERS} files named render are allowed at once`,
      ].filter(Boolean);
      return problems.length > 0 ? `${problems.join("; ")}.` : null;
    },
    run: ({ folder, files }, signal) => {
      const [reference] = files.filter((f) => f.field === "reference");
      return inThread("compare", { folder, reference, renders: files.filter((f) => f.field === "render") }, signal);
    },
  });
