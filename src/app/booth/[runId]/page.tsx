import type { Metadata } from "next";
import { Booth } from "@/ui/blind/booth";

export const metadata: Metadata = { title: "Blind run · Yonder Pair" };

export default async function BoothPage(props: { params: Promise<{ runId: string }> }) {
  const { runId } = await props.params;
  return <Booth runId={runId} />;
}
