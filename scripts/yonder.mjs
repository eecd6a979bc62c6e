// npm run --silent yonder -- …: the terminal program, from its bundle.
import { bundle, isBundled } from "./bundle.mjs";
import { ensurePackages } from "./ensure.mjs";

await ensurePackages();
if (!isBundled()) await bundle();
await import("../.bundled/yonder.mjs");
