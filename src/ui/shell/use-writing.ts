import { useRef, useState } from "react";
import { JobCancelled } from "@/workers/jobs";

/** Writing something that takes a while, from a dialog: whether it is being written, what went wrong, and the way to call it off. */
export function useWriting(what: string) {
  const [isWriting, setWriting] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef(new AbortController());
  const write = async (work: (signal: AbortSignal) => Promise<void>, done: () => void) => {
    setWriting(true);
    setProblem(null);
    cancel.current = new AbortController();
    try {
      await work(cancel.current.signal);
      done();
    } catch (error) {
      if (!(error instanceof JobCancelled))
        setProblem(`${what} could not be written: ${error instanceof Error ? error.message : String(error)}`);
    }
    setWriting(false);
  };
  return { isWriting, problem, write, callOff: () => cancel.current.abort() };
}
