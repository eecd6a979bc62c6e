import { connection } from "next/server";
import { FirstRun } from "@/ui/first-run/first-run";

/** `npm run demo` opens onto the demo; `npm start` onto the first screen. */
export default async function Home() {
  await connection();
  return <FirstRun startWithDemo={process.env.YONDER_START === "demo"} />;
}
