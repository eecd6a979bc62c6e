import type { Metadata } from "next";
import { GuestPackPage } from "@/ui/pack/guest-pack-page";

export const metadata: Metadata = { title: "Listening pack · Yonder Pair" };

export default async function PackPage(props: { params: Promise<{ packId: string }> }) {
  const { packId } = await props.params;
  return <GuestPackPage packId={packId} />;
}
