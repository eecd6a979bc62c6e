import type { Metadata } from "next";
import type { ReactNode } from "react";
import { Queries } from "@/ui/shell/queries";
import { Theme } from "@/ui/shell/theme";
import "./globals.css";

export const metadata: Metadata = {
  title: "Yonder Pair",
  description: "Compare equalizers, compressors, limiters and saturators: in step, at one level, blind.",
};

export default function RootLayout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Theme>
          <Queries>{children}</Queries>
        </Theme>
      </body>
    </html>
  );
}
