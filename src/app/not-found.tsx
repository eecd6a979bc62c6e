import Link from "next/link";

export default function NotFound() {
  return (
    <main className="grid min-h-screen place-content-center gap-3 p-8">
      <h1 className="text-2xl font-semibold">Nothing at this address.</h1>
      <Link className="link" href="/">
        Back to the start
      </Link>
    </main>
  );
}
