import type { ReactNode } from "react";
import { ComparisonShell } from "@/ui/shell/comparison-shell";

export default async function ComparisonLayout(props: {
  children: ReactNode;
  params: Promise<{ comparisonId: string }>;
}) {
  const { comparisonId } = await props.params;
  return <ComparisonShell comparisonId={comparisonId}>{props.children}</ComparisonShell>;
}
