// npm run bench: how fast the heavy computations are, as ratios against ffmpeg and real time within one run; then how much memory the page takes
// with long files and how soon they can be heard and compared (`-- --core` leaves that out, `-- --twelve` takes twelve renders for it).
import { benchBrowser } from "./bench/browser";
import { benchCore } from "./bench/core";

benchCore();
if (!process.argv.includes("--core")) await benchBrowser(process.argv.includes("--twelve"));
