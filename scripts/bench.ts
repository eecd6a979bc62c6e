// npm run bench: how fast the heavy computations are, as ratios against ffmpeg and real time within one run; then what the server bears; then
// how much memory the page takes with long files and how soon they can be heard and compared (`-- --twelve` takes twelve renders for it).
// `-- --core`, `-- --explain`, `-- --server` and `-- --browser` run one of them alone.
import { benchBrowser } from "./bench/browser";
import { benchCore, longClip } from "./bench/core";
import { benchExplain } from "./bench/explain";
import { benchServer } from "./bench/server";

const asked = process.argv.slice(2);
const isWanted = (part: string) =>
  asked.includes(part) || !["--core", "--explain", "--server", "--browser"].some((p) => asked.includes(p));

if (isWanted("--core")) benchCore();
if (isWanted("--explain")) benchExplain(longClip());
if (isWanted("--server")) await benchServer();
if (isWanted("--browser")) await benchBrowser(asked.includes("--twelve"));
