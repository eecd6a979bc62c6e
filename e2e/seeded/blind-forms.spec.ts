import { readFileSync, writeFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { PLAN_WORDS } from "../../src/core/words/blind-plan";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import {
  beginRun,
  chooseAmong,
  fairLevel,
  hearSeats,
  planForm,
  pressAnswer,
  setHiddenOrder,
  stop,
  trialText,
} from "../support";

const FOUR = ["Dry", "Air lift, bilinear", "Bus compressor", "Drive stage"];

/** Where a stimulus sits in each round, from the order a test has set. */
/** Every render in every seat. */
const rotations = (items: number[]): number[][] => items.map((_, n) => [...items.slice(n), ...items.slice(0, n)]);

test("a favourite run of five rounds over four renders, with a reload in the middle", async ({ page }) => {
  await openSeeded(page, "demo");
  await planForm(page, "Favourite");
  await chooseAmong(page, FOUR);
  await page.getByLabel(LABELS.numberOfRounds).fill("5");
  await expect(page.getByTestId("plan-odds")).toContainText(PLAN_WORDS.picks(5, 5));
  await expect(fairLevel(page)).toBeVisible();
  await beginRun(page);
  // Known to the test alone: the third, the bus compressor, is picked wherever it sits.
  const order = [
    [2, 0, 1, 3],
    [3, 2, 0, 1],
    [0, 1, 2, 3],
    [1, 3, 0, 2],
    [2, 3, 1, 0],
  ];
  await setHiddenOrder(page, order);
  await page.reload();
  for (const [i, seats] of order.entries()) {
    await trialText(page, `Round ${i + 1} of 5`);
    if (i === 2) await page.reload();
    await hearSeats(page, ["1", "2", "3", "4"]);
    await page.getByRole("button", { name: `${seats.indexOf(2) + 1} is best` }).click();
    await pressAnswer(page, /Keep this answer/, "Enter");
  }
  await expect(page.getByTestId("verdict")).toHaveText("Preferences differ: Bus compressor was picked most often.");
  await expect(page.getByTestId("verdict-detail")).toContainText("Bus compressor 5");
  await expect(page.getByRole("table", { name: LABELS.picks }).getByRole("row").nth(1)).toContainText("Bus compressor");
  // The order was changed behind the run's back: the seal tells.
  await expect(page.getByText("the opened order does not match its seal: do not trust this run")).toBeVisible();
});

test("a rating run of two rounds with hidden reference and anchor, with a reload in the middle", async ({ page }) => {
  await openSeeded(page, "demo");
  await planForm(page, "Rating");
  await chooseAmong(page, ["Air lift, bilinear", "Bus compressor"]);
  await page.getByLabel("Anchor").check();
  await page.getByLabel(LABELS.numberOfRounds).fill("2");
  await expect(page.getByTestId("plan-odds")).toContainText("separate no two renders");
  await expect(fairLevel(page)).toBeVisible();
  await beginRun(page);
  await expect(page.getByRole("button", { name: "Hear Reference, shortcut R" })).toBeVisible();
  for (let round = 1; round <= 2; round++) {
    await trialText(page, `Round ${round} of 2`);
    if (round === 2) await page.reload();
    await hearSeats(page, ["r", "1", "2", "3", "4"]);
    const keep = page.getByRole("button", { name: /Keep these grades/ });
    await expect(keep).toBeDisabled();
    for (const [seat, steps] of [
      ["1", 1],
      ["2", 2],
      ["3", 3],
      ["4", 4],
    ] as const) {
      await hearSeats(page, [seat]);
      for (let n = 0; n < steps; n++) await page.keyboard.press("Shift+ArrowUp");
      await expect(page.getByLabel(`Grade of ${seat}`)).toHaveValue(String(50 + 10 * steps));
    }
    await page.getByLabel("Word for 1").fill("Woolly");
    await page.getByLabel("Word for 1").press("Enter");
    await expect(page.getByRole("button", { name: "Remove woolly" })).toBeVisible();
    await keep.click();
  }
  await expect(page.getByTestId("verdict-detail")).toContainText("2 rounds of 1 listener");
  await expect(page.getByTestId("verdict-detail")).toContainText("Repeatability:");
  const grades = page.getByRole("table", { name: LABELS.grades });
  await expect(grades.getByRole("row")).toHaveCount(5);
  await expect(grades).toContainText("Dry (hidden reference)");
  await expect(grades).toContainText("woolly");
  await page.getByRole("link", { name: LABELS.toTheFindings }).click();
  await expect(page.getByTestId("entry").first()).toContainText("Rating rounds");
});

test("nine sliders and a reference fit a screen of 1024 x 700, and a free loop is moved by its keys and kept", async ({
  page,
}) => {
  await page.setViewportSize({ width: 1024, height: 700 });
  await openSeeded(page, "demo");
  await planForm(page, "Rating");
  await page.getByLabel(LABELS.numberOfRounds).fill("1");
  await page.getByLabel(/Listeners may move the loop/).check();
  await expect(fairLevel(page)).toBeVisible();
  await beginRun(page);
  await hearSeats(page, ["r", "1", "9"]);
  const fits = await page.evaluate(() => {
    const { scrollWidth, scrollHeight } = document.documentElement;
    return { wide: scrollWidth <= window.innerWidth, high: scrollHeight <= window.innerHeight };
  });
  expect(fits).toEqual({ wide: true, high: true });
  const loop = page.getByText(/^Loop 0:00.000 to/);
  await expect(loop).toBeVisible();
  await page.waitForTimeout(600);
  await page.keyboard.press("i");
  await expect(loop).toHaveCount(0);
  await page.getByRole("button", { name: LABELS.wholeStretch }).click();
  await expect(loop).toBeVisible();
});

test("twelve answers in, a rest is offered; a record is taken in once it has verified itself", async ({ page }) => {
  await openSeeded(page, "demo");
  await planForm(page, "ABX");
  await page.getByLabel(LABELS.numberOfTrials).fill("13");
  await expect(fairLevel(page)).toBeVisible();
  await beginRun(page);
  for (let trial = 1; trial <= 13; trial++) {
    await trialText(page, `Trial ${trial} of 13`);
    if (trial === 13) {
      await expect(page.getByText(LABELS.timeForARest)).toBeVisible();
      await page.keyboard.press("Enter");
    }
    await hearSeats(page, ["2", "1"]);
    await pressAnswer(page, "X is A", "a");
  }
  const saving = page.waitForEvent("download");
  await page.getByRole("button", { name: LABELS.saveAsARecord }).click();
  const record = test.info().outputPath("record.json");
  await (await saving).saveAs(record);
  await page.getByRole("link", { name: LABELS.toTheFindings }).click();
  await page.getByLabel(LABELS.recordToImport).setInputFiles(record);
  await expect(page.getByRole("status").filter({ hasText: "is already added" })).toBeVisible();
  const forged = test.info().outputPath("forged.json");
  writeFileSync(forged, readFileSync(record, "utf8").replace(/"rightNeeded": \d+/, '"rightNeeded": 1'));
  await page.getByLabel(LABELS.recordToImport).setInputFiles(forged);
  await expect(page.getByRole("status").filter({ hasText: "forged.json is refused" })).toBeVisible();
});

/** Takes the run of a pack and saves its result file. */
async function takePack(page: Page, path: string, code: string): Promise<string> {
  await page.goto("/?list");
  await page.getByLabel(LABELS.listeningPackToOpen).setInputFiles(path);
  await expect(page).toHaveURL(/pack/);
  await page.getByLabel(LABELS.listenerCode).fill(code);
  await beginRun(page);
  for (let trial = 1; trial <= 5; trial++) {
    await trialText(page, `Trial ${trial} of 5`);
    if (trial === 3) await page.reload();
    await hearSeats(page, ["1", "2", "3"]);
    await pressAnswer(page, "X is A", "a");
  }
  await expect(page.getByText("the opened order matches the seal")).toBeVisible();
  const saving = page.waitForEvent("download");
  await page.getByRole("button", { name: LABELS.saveTheResultFile }).click();
  const result = test.info().outputPath(`${code}.json`);
  await (await saving).saveAs(result);
  return result;
}

test("a pack is taken in another profile and merged back; a tampered result is refused with the reason", async ({
  page,
  browser,
  launchOptions,
}) => {
  test.setTimeout(150_000);
  await openSeeded(page, "demo", "blind");
  await page.getByLabel(LABELS.numberOfTrials).fill("5");
  await expect(fairLevel(page)).toBeVisible();
  const making = page.waitForEvent("download");
  await page.getByRole("button", { name: LABELS.makeAListeningPack }).click();
  const pack = test.info().outputPath("pack.zip");
  await (await making).saveAs(pack);
  // Nothing in it says what is what.
  const bytes = readFileSync(pack).toString("latin1");
  for (const word of ["Air lift", "dry", "Dry", "bilinear", "order"]) expect(bytes).not.toContain(word);

  const own = browser ?? (await (await import("@playwright/test")).chromium.launch(launchOptions));
  const elsewhere = await own.newContext({ baseURL: new URL(page.url()).origin, acceptDownloads: true });
  const guest = await elsewhere.newPage();
  await guest.goto("/?list");
  await guest.getByLabel(LABELS.listeningPackToOpen).setInputFiles({
    name: "broken.zip",
    mimeType: "application/zip",
    buffer: Buffer.from("PK not a zip"),
  });
  await expect(guest.locator("p[role=alert]")).toContainText("broken.zip is not a valid listening pack");
  const result = await takePack(guest, pack, "L2");
  expect(readFileSync(result, "utf8")).not.toContain("Air lift");
  await elsewhere.close();

  const tampered = test.info().outputPath("tampered.json");
  writeFileSync(tampered, readFileSync(result, "utf8").replace(/"side": "A"/, '"side": "B"'));
  await page.getByLabel(LABELS.resultFilesToAdd).setInputFiles([tampered, result]);
  const told = page.getByRole("status").filter({ hasText: "added" });
  await expect(told).toContainText("1 result added.");
  await expect(told).toContainText("tampered.json is refused. It was changed after saving.");
  await page.getByLabel(LABELS.resultFilesToAdd).setInputFiles(result);
  await expect(page.getByText("L2.json is already added.")).toBeVisible();

  await page.getByRole("button", { name: LABELS.allListenersTogether }).click();
  await expect(page.getByRole("table", { name: LABELS.listeners }).getByRole("row").nth(1)).toContainText("L2");
  await page.getByRole("button", { name: LABELS.close, exact: true }).click();
  await stop(page, "Findings").click();
  await expect(page.getByTestId("entry").first()).toContainText("L2");
  await page.getByTestId("entry").first().getByRole("button").click();
  await expect(page.getByText("the opened order matches the seal")).toBeVisible();
});

/** What a page does to its graph: every connection, every channel count, every time a parameter is moved. */
function watchGraph(): void {
  const log: string[] = [];
  Object.assign(window, { graphLog: log });
  const kinds = new WeakMap<object, string>();
  const kindOf = (node: object) => kinds.get(node) ?? node.constructor.name;
  const { connect } = AudioNode.prototype;
  AudioNode.prototype.connect = function (this: AudioNode, ...args: unknown[]) {
    log.push(`${kindOf(this)} ${this.channelCount} → ${kindOf(args[0] as object)} ${args.slice(1).join(" ")}`);
    return (connect as (...a: unknown[]) => AudioNode).apply(this, args);
  } as typeof connect;
  for (const name of ["setValueAtTime", "linearRampToValueAtTime"] as const) {
    const original = AudioParam.prototype[name];
    AudioParam.prototype[name] = function (this: AudioParam, value: number, time: number) {
      log.push(`${name} ${value}`);
      return original.call(this, value, time);
    };
  }
}

/** Everything on the page but how far the run is, and all that was done to the graph since it was last asked. */
async function seen(page: Page, keys: readonly string[]) {
  await page.evaluate(() => {
    (window as unknown as { graphLog: string[] }).graphLog.length = 0;
  });
  await page.reload();
  await hearSeats(page, keys);
  await page.waitForTimeout(150);
  return page.evaluate(() => {
    const hide = (html: string, id: string) =>
      html.replace(document.querySelector(`[data-testid="${id}"]`)?.outerHTML ?? "", "");
    const html = ["dots", "trial"].reduce(hide, document.querySelector("main")?.outerHTML ?? "");
    const log = (window as unknown as { graphLog: string[] }).graphLog;
    return {
      html: html.replace(/[0-9.]+ s left/, ""),
      title: document.title,
      wiring: log.filter((line) => line.includes("→")).join("\n"),
      // When keys come before or after a tick of the transport is chance; what is done is not.
      moves: [...new Set(log.filter((line) => !line.includes("→")))].sort().join("\n"),
    };
  });
}

/** Milliseconds from a key to the moment the graph is told to switch, over several presses. */
async function switchDelays(page: Page, keys: readonly string[]): Promise<number[]> {
  await page.evaluate(() => {
    const delays: number[] = [];
    Object.assign(window, { delays });
    let pressed = 0;
    window.addEventListener(
      "keydown",
      () => {
        pressed = performance.now();
      },
      true,
    );
    const original = AudioParam.prototype.linearRampToValueAtTime;
    AudioParam.prototype.linearRampToValueAtTime = function (this: AudioParam, value: number, time: number) {
      if (pressed > 0) delays.push(performance.now() - pressed);
      pressed = 0;
      return original.call(this, value, time);
    };
  });
  for (let n = 0; n < 4; n++) await hearSeats(page, keys);
  return page.evaluate(() => (window as unknown as { delays: number[] }).delays);
}

const FORMS: { form: string; among: string[] | null; keys: string[]; orders: number[][]; trial: string }[] = [
  {
    form: "ABX",
    among: null,
    keys: ["2", "1", "3"],
    orders: [
      [0, 0, 1],
      [0, 1, 1],
    ],
    trial: "5",
  },
  {
    form: "Same or different",
    among: null,
    keys: ["1", "2"],
    orders: [
      [0, 0],
      [0, 1],
      [1, 0],
      [1, 1],
    ],
    trial: "5",
  },
  {
    form: "Two at a time",
    among: ["Dry", "Bus compressor"],
    keys: ["1", "2"],
    orders: [
      [0, 1],
      [1, 0],
    ],
    trial: "1",
  },
  {
    form: "Favourite",
    among: ["Dry", "Bus compressor", "Drive stage"],
    keys: ["1", "2", "3"],
    orders: rotations([0, 1, 2]),
    trial: "1",
  },
  {
    form: "Rating",
    among: ["Bus compressor", "Drive stage"],
    keys: ["r", "1", "2", "3"],
    orders: rotations([0, 1, 2]),
    trial: "1",
  },
];

for (const { form, among, keys, orders, trial } of FORMS) {
  test(`the booth gives nothing away, ${form}: one page, one graph and one delay whoever sits where`, async ({
    page,
  }) => {
    test.setTimeout(150_000);
    await page.addInitScript(watchGraph);
    await openSeeded(page, "demo");
    await planForm(page, form);
    if (among) await chooseAmong(page, among);
    await page.getByLabel(/Number of (trials|rounds)/).fill(trial);
    await expect(fairLevel(page)).toBeVisible();
    await beginRun(page);
    const looks: Awaited<ReturnType<typeof seen>>[] = [];
    const delays: number[] = [];
    for (const order of orders) {
      await setHiddenOrder(
        page,
        Array.from({ length: 5 }, () => order),
      );
      looks.push(await seen(page, keys));
      // The quickest of several: what else the machine does only adds to it.
      delays.push(Math.min(...(await switchDelays(page, keys))));
    }
    expect(looks[0].html).not.toContain("Bus compressor");
    expect(looks[0].wiring).toContain("→ AudioDestinationNode");
    for (const look of looks.slice(1)) expect(look).toEqual(looks[0]);
    // A key takes some milliseconds to be heeded, whoever sits there.
    expect(Math.max(...delays) - Math.min(...delays)).toBeLessThan(12);
  });
}
