import { ThemeButton } from "./theme";
import { Wordmark } from "./wordmark";

/** The header of pages outside a comparison. */
export function PlainHeader() {
  return (
    <header className="flex h-12 shrink-0 items-center justify-between border-rule border-b px-5">
      <Wordmark />
      <ThemeButton />
    </header>
  );
}
