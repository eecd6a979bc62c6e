import { expect, type Page } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { dragLoop, figure, playheadFrame } from "../support";

test("play, switch, loop, look through a lens and hear the difference, by key and by click", async ({ page }) => {
  await openSeeded(page, "demo");
  const play = page.getByRole("button", { name: /^Play Space/ });
  await expect(play).toBeEnabled();
  expect(await playheadFrame(page)).toBe(0);

  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(10_000);

  // A switch keeps the playhead going from where it is.
  const before = await playheadFrame(page);
  await page.keyboard.press("ArrowRight");
  await expect(page.getByRole("button", { name: LABELS.yonder, exact: true })).toHaveAttribute("aria-pressed", "true");
  expect(await playheadFrame(page)).toBeGreaterThanOrEqual(before);

  await dragLoop(page, 0.5, 0.6);
  const rate = 48_000;
  await expect(page.getByTestId("loop")).toBeVisible();
  await expect.poll(async () => (await playheadFrame(page)) / rate).toBeGreaterThan(7);
  await page.waitForTimeout(2500);
  const seconds = (await playheadFrame(page)) / rate;
  expect(seconds).toBeGreaterThan(7.5);
  expect(seconds).toBeLessThan(10);
  await expect(page.getByText("in the loop")).toBeVisible();

  // Back to the loop's start at a switch.
  await page.getByRole("button", { name: LABELS.toLoop }).click();
  await page.keyboard.press("ArrowLeft");
  await expect(page.getByRole("button", { name: LABELS.here, exact: true })).toHaveAttribute("aria-pressed", "true");

  await page.keyboard.press("Space");
  await expect(play).toBeVisible();
  // It comes to rest within a fade, and then stands still.
  const moved = async () => {
    const before = await playheadFrame(page);
    await page.waitForTimeout(300);
    return (await playheadFrame(page)) - before;
  };
  await expect.poll(moved).toBe(0);

  await page.keyboard.press("d");
  await expect(page.getByRole("button", { name: /^Difference/ })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("m");
  await expect(page.getByRole("button", { name: LABELS.originalLevel })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("button", { name: LABELS.mid, exact: true }).click();
  await expect(page.getByRole("button", { name: LABELS.mid, exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.getByLabel(LABELS.boostOfTheDifference).selectOption("48");
  await expect(page.getByTitle(/Limited so that the difference/)).toBeVisible();

  // A double click takes the loop away; the preference outlives a reload.
  await page.getByTestId("waveform").dblclick();
  await expect(page.getByTestId("loop")).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole("button", { name: LABELS.toLoop })).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByLabel(LABELS.boostOfTheDifference)).toHaveValue("48");
});

const pad = (page: Page, title: string) => page.locator(`[data-pad="${title}"]`);
const isHeard = (page: Page, title: string) =>
  expect(pad(page, title).getByRole("button").first()).toHaveAttribute("aria-pressed", "true");

test("any render is heard by its key or its pad, becomes Yonder with Shift, and is matched over passage or loop", async ({
  page,
}) => {
  await openSeeded(page, "demo", "listen");
  await expect(pad(page, "Bus compressor")).toContainText("+3.3");
  await page.keyboard.press("4");
  await expect(page.getByText("You hear Bus compressor, matched.")).toBeVisible();
  await isHeard(page, "Bus compressor");
  // The pair stays as it is.
  await expect(page.getByLabel("Yonder render")).toContainText("Air lift, bilinear");
  await page.keyboard.press("1");
  await expect(page.getByText("You hear Here: Dry, matched.")).toBeVisible();
  await page.keyboard.press("t");
  await expect(page.getByText("You hear Yonder: Air lift, bilinear, matched.")).toBeVisible();
  await page.keyboard.press("Shift+4");
  await expect(page.getByText("You hear Yonder: Bus compressor, matched.")).toBeVisible();
  await pad(page, "Drive stage").getByRole("button", { name: "Make Drive stage Yonder" }).click();
  await expect(page.getByText("You hear Yonder: Drive stage, matched.")).toBeVisible();

  const wholePassage = await figure(page, "matched-to").textContent();
  await dragLoop(page, 0.92, 0.99);
  await page.getByRole("group", { name: LABELS.matchOver }).getByRole("button", { name: LABELS.loop }).click();
  await expect(page.getByText("Matched to the dry render by integrated loudness over the loop")).toBeVisible();
  await expect(figure(page, "matched-to")).not.toHaveText(wholePassage ?? "");
  await expect(page.getByText("0.00\u2009LU remaining")).toBeVisible();
});

/** Watches which pads are heard one after the other, from now on: a pass may be shorter than a test looks. */
const watchHeard = (page: Page) =>
  page.evaluate(() => {
    const heard: string[] = [];
    Object.assign(window, { heard });
    const look = () => {
      const now = document.querySelector('[data-pad] [aria-pressed="true"]')?.closest("[data-pad]");
      const title = now?.getAttribute("data-pad");
      if (title && title !== heard.at(-1)) heard.push(title);
    };
    new MutationObserver(look).observe(document.body, { attributes: true, childList: true, subtree: true });
  });
const heardSince = (page: Page) => page.evaluate(() => (window as unknown as { heard: string[] }).heard);

test("hands free at each pass, and the round rehearsed: dry, each of the others, dry again, then rest", async ({
  page,
}) => {
  await openSeeded(page, "demo", "listen");
  await dragLoop(page, 0.2, 0.24);
  await watchHeard(page);
  await page.getByRole("button", { name: LABELS.start }).click();
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await expect.poll(async () => (await heardSince(page)).length).toBeGreaterThan(3);
  expect((await heardSince(page)).slice(0, 4)).toEqual(["Dry", "Air lift, bilinear", "Dry", "Air lift, bilinear"]);
  await page.keyboard.press("3");
  await expect(page.getByRole("button", { name: LABELS.start })).toBeVisible();
  await isHeard(page, "Air lift, matched");
  await page.keyboard.press("1");
  await isHeard(page, "Dry");

  await watchHeard(page);
  await page.getByRole("button", { name: LABELS.playEachInTurn }).click();
  await expect(page.getByRole("button", { name: /^Play Space/ })).toBeVisible();
  const titles = await page.locator("[data-pad]").evaluateAll((pads) => pads.map((p) => p.getAttribute("data-pad")));
  expect(await heardSince(page)).toEqual([...titles, "Dry"]);
});

/** Where the playhead is once it has not moved over twelve frames drawn, as in a gap of silence it must not. */
async function standsStill(): Promise<number> {
  const frame = () => Number(document.querySelector('[data-testid="playhead"]')?.getAttribute("data-frame"));
  for (let still = 0, last = frame(); ; last = frame()) {
    await new Promise(requestAnimationFrame);
    await new Promise((resolve) => setTimeout(resolve, 20));
    still = frame() === last ? still + 1 : 0;
    if (still === 12) return last;
  }
}

test("a mark to go back to, a gap of silence and a pre-roll at a switch", async ({ page }) => {
  await openSeeded(page, "demo", "listen");
  await page.keyboard.press("Space");
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(96_000);
  await page.keyboard.press("w");
  await expect(page.getByTestId("mark")).toBeVisible();
  await page.getByRole("button", { name: LABELS.toMark }).click();
  await page.getByLabel(LABELS.preRoll).selectOption("1");
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(168_000);
  const before = await playheadFrame(page);
  await page.keyboard.press("t");
  await expect.poll(() => playheadFrame(page)).toBeLessThan(before - 48_000);
  await page.getByRole("button", { name: LABELS.on, exact: true }).click();
  await page.getByLabel(LABELS.preRoll).selectOption("0");
  await page.getByLabel(LABELS.silenceBeforeASwitch).selectOption("1");
  await page.keyboard.press("t");
  const stopped = await page.evaluate(standsStill);
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(stopped + 24_000);
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
});

test("lenses by frequency and by moments, trim, polarity, and what is heard told live", async ({ page }) => {
  await openSeeded(page, "demo", "listen");
  await expect(page.getByText(/^Playback at 48/)).toBeVisible();
  await page.keyboard.press("Space");
  await expect(figure(page, "live-loudness")).toContainText("LUFS");
  const loudness = async () =>
    Number((await figure(page, "live-loudness").textContent())?.replace("−", "-").split("\u2009")[0]);
  await expect.poll(loudness).toBeGreaterThan(-30);
  const open = await loudness();
  await page.getByRole("button", { name: "Solo band" }).click();
  await page.getByLabel(LABELS.centreOfTheBand).fill("200");
  await expect.poll(loudness).toBeLessThan(open - 6);
  await page.getByRole("group", { name: LABELS.band, exact: true }).getByRole("button", { name: LABELS.all }).click();
  await page.getByLabel(LABELS.outputTrim).fill("-20");
  await expect.poll(loudness).toBeLessThan(open - 15);
  await page.getByLabel(LABELS.outputTrim).fill("0");
  await page.getByRole("button", { name: LABELS.transients, exact: true }).click();
  const begun = await playheadFrame(page);
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(begun + 24_000);
  await expect(figure(page, "live-loudness")).toContainText("LUFS");
  await page.getByRole("button", { name: "Sustain" }).click();
  await expect(figure(page, "live-correlation")).toContainText("0.");
  const drawn = await page.getByTestId("live-spectrum").locator("path").last().getAttribute("d");
  expect((drawn ?? "").length).toBeGreaterThan(500);
  // Inverted, Yonder is added to Here where it was taken away: the difference is no longer small.
  await page.getByLabel(LABELS.invertYonder).check();
  await page.getByRole("button", { name: "Mono" }).click();
  await page.keyboard.press("d");
  await expect(page.getByText(/Yonder − Here at the deepest-null gain/)).toBeVisible();
});

test("notes pinned to moments in words of one's own, and a sighted verdict with what was heard before it", async ({
  page,
}) => {
  await openSeeded(page, "demo", "listen");
  await page.keyboard.press("Space");
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(48_000);
  await page.keyboard.press("4");
  await page.waitForTimeout(800);
  await page.keyboard.press("n");
  await page.keyboard.type("Pluffy");
  await page.keyboard.press("Enter");
  const note = page.getByTestId("moment");
  await expect(note).toContainText("Bus compressor");
  await expect(note).toContainText("pluffy");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("group", { name: LABELS.words }).getByRole("button").first()).toHaveText("pluffy");
  await page.keyboard.press("1");
  await isHeard(page, "Dry");
  await note.getByTitle(LABELS.playThisMoment).click();
  await isHeard(page, "Bus compressor");
  await page.getByRole("button", { name: LABELS.sightedVerdict }).click();
  await expect(page.getByText(/Heard: .*Bus compressor 0:0/)).toBeVisible();
  await page.getByLabel(LABELS.whichDoYouPrefer).selectOption({ label: "Bus compressor" });
  await page.getByLabel(LABELS.confidence).fill("75");
  await page.getByLabel(LABELS.why).fill("it holds together");
  await page.getByRole("button", { name: LABELS.saveVerdict }).click();
  const verdict = page.getByTestId("sighted-verdict");
  await expect(verdict).toContainText(/Bus compressor, 75.% sure: it holds together \(heard /);
  await page.reload();
  await page.getByRole("button", { name: LABELS.sightedVerdict }).click();
  await expect(verdict).toContainText("it holds together");
  await page.getByRole("button", { name: LABELS.notes }).click();
  await note.getByRole("button", { name: /^Delete the note/ }).click();
  await expect(page.getByText(LABELS.noNotesOnThisPassageYet)).toBeVisible();
});
