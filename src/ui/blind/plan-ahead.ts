import { createStore } from "zustand/vanilla";
import type { PlanDraft } from "./plan-draft";

/** A plan that was proposed elsewhere, for the form to begin with: what is asked, and which renders are left out. */
type PlanAhead = { draft: Partial<PlanDraft>; leftOut: readonly string[] };

const plans = createStore<{ ahead: PlanAhead | null }>(() => ({ ahead: null }));

export const planAhead = (ahead: PlanAhead): void => plans.setState({ ahead });

/** What was proposed, until it is forgotten. */
export const takePlanAhead = (): PlanAhead | null => plans.getState().ahead;

export const forgetPlanAhead = (): void => plans.setState({ ahead: null });
