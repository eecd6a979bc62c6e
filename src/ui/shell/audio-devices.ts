import { useCallback, useEffect, useState } from "react";

type Kind = "audioinput" | "audiooutput";

/**
 * The inputs and outputs a browser tells of, kept up to date; their names only once a page may use an input, for which `ask` asks: what comes in is let
 * go at once. Resolves with how many there are of a kind; rejects where it is not allowed.
 */
export function useAudioDevices(isWanted: boolean) {
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  const list = useCallback(async () => {
    const all = await navigator.mediaDevices.enumerateDevices();
    const told = all.filter(({ deviceId }) => deviceId && deviceId !== "default" && deviceId !== "communications");
    setDevices(told);
    return told;
  }, []);
  useEffect(() => {
    const media = navigator.mediaDevices;
    if (!isWanted || !media) return;
    const again = () => void list().catch(() => {});
    again();
    media.addEventListener("devicechange", again);
    return () => media.removeEventListener("devicechange", again);
  }, [isWanted, list]);
  const ask = useCallback(
    async (kind: Kind): Promise<number> => {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      for (const track of stream.getTracks()) track.stop();
      return (await list()).filter((d) => d.kind === kind).length;
    },
    [list],
  );
  const of = (kind: Kind) => devices.filter((d) => d.kind === kind);
  return { inputs: of("audioinput"), outputs: of("audiooutput"), ask };
}

/** Devices as a choice, the system's own first. */
export const deviceOptions = (devices: readonly MediaDeviceInfo[], word: string) => [
  { value: "", title: "the system's" },
  ...devices.map(({ deviceId, label }, i) => ({ value: deviceId, title: label || `${word} ${i + 1}` })),
];
