"use client";

import { ErrorScreen } from "@/ui/shell/error-screen";

export default function ErrorPage(props: { error: Error; reset: () => void }) {
  return <ErrorScreen error={props.error} retry={props.reset} />;
}
