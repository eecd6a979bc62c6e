import fc from "fast-check";

/**
 * Property tests draw the same cases at every run, so that a run that fails fails again. To hunt for more:
 * `PROPERTY_RUNS=5000 npx vitest run src/core` draws others, and as many as asked for each property.
 */
const runs = Number(process.env.PROPERTY_RUNS);
fc.configureGlobal(runs > 0 ? { numRuns: runs } : { seed: 20_261 });
