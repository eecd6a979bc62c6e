import type { NextConfig } from "next";

/** Only a page of its own origin shares memory with its workers, which playback needs. */
const ISOLATED = [
  { key: "Cross-Origin-Opener-Policy", value: "same-origin" },
  { key: "Cross-Origin-Embedder-Policy", value: "require-corp" },
];

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  // Types are checked by `npm run types`, in every test run: not once more here.
  typescript: { ignoreBuildErrors: true },
  devIndicators: false,
  headers: async () => [{ source: "/:path*", headers: ISOLATED }],
  // It starts threads from a file beside it, which a bundle does not have.
  serverExternalPackages: ["tinypool"],
};

export default config;
