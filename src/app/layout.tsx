import type { Metadata } from "next";
import type { ReactNode } from "react";
import { GuideHost } from "@/ui/guide/guide";
import { Queries } from "@/ui/shell/queries";
import { Theme } from "@/ui/shell/theme";
import { WhatIsHost } from "@/ui/shell/what-is";
import "./globals.css";

export const metadata: Metadata = {
  title: "Yonder Pair",
  description: "Compare equalizers, compressors, limiters and saturators: aligned, level-matched, blind.",
};

export default function RootLayout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Theme>
          <Queries>
            {children}
            <GuideHost />
            <WhatIsHost />
          </Queries>
        </Theme>
      </body>
    </html>
  );
}
