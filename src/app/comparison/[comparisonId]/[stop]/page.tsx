import { notFound } from "next/navigation";
import { StopArea } from "@/ui/shell/stop-area";
import { stopOf } from "@/ui/shell/stops";

export default async function StopPage(props: { params: Promise<{ stop: string }> }) {
  const stop = stopOf((await props.params).stop);
  if (!stop) notFound();
  return <StopArea stopKey={stop.key} />;
}
