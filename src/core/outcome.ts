/** An expected failure: what is wrong, in a sentence for a person, and the way out. */
export type Failure = { ok: false; reason: string; advice: string };

/** The result of anything that can fail on bad input. Programming errors throw instead. */
export type Outcome<T> = { ok: true; value: T } | Failure;

export const succeed = <T>(value: T): { ok: true; value: T } => ({ ok: true, value });

export const fail = (reason: string, advice: string): Failure => ({ ok: false, reason, advice });
