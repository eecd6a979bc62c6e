import { notFound } from "next/navigation";
import { stopOf } from "@/ui/shell/stops";
import { StopArea } from "@/ui/shell/stop-area";

export default async function StopPage(props: { params: Promise<{ stop: string }> }) {
  const stop = stopOf((await props.params).stop);
  if (!stop) notFound();
  return <StopArea stopKey={stop.key} />;
}
