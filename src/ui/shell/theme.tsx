"use client";

import { Moon, Sun } from "lucide-react";
import { ThemeProvider, useTheme } from "next-themes";
import type { ReactNode } from "react";
import { LABELS } from "@/ui/labels";
import { useMounted } from "./use-mounted";

/** Follows the system until a person sets it. */
export function Theme({ children }: { children: ReactNode }) {
  return (
    <ThemeProvider
      attribute="data-theme"
      themes={["light", "dark"]}
      value={{ light: "yonder-day", dark: "yonder-night" }}
      enableColorScheme={false}
      disableTransitionOnChange
    >
      {children}
    </ThemeProvider>
  );
}

export function ThemeButton() {
  const { resolvedTheme, setTheme } = useTheme();
  const mounted = useMounted();
  const night = mounted && resolvedTheme === "dark";
  return (
    <button
      type="button"
      className="btn btn-ghost btn-sm btn-square"
      aria-label={night ? "Day theme" : LABELS.nightTheme}
      title={night ? "Day theme" : LABELS.nightTheme}
      onClick={() => setTheme(night ? "light" : "dark")}
    >
      {night ? <Sun size={16} /> : <Moon size={16} />}
    </button>
  );
}
