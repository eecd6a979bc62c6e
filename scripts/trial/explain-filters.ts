// Filters, and what Explain has to say of them; for `npm run trial -- explain`.

import { type Class, expectEq, onMid, onSide } from "./explain-truth";
import { ffmpeg } from "./outside";

export const FILTER_CLASSES: Class[] = [
  [
    "eq",
    "three bands",
    (c) => ffmpeg(c, "equalizer=f=120:t=q:w=0.8:g=4", "equalizer=f=1000:t=q:w=1.4:g=-3", "treble=f=9000:g=3"),
    {
      causes: [
        expectEq(
          [
            [120, 4],
            [1000, -3],
          ],
          ["minimum"],
        ),
      ],
      heard: true,
    },
  ],
  [
    "eq",
    "bell +3 at 1 kHz",
    (c) => ffmpeg(c, "equalizer=f=1000:t=q:w=1:g=3"),
    {
      causes: [
        expectEq(
          [
            [1000, 3, 0.15],
            [100, 0.05, 0.2],
            [10000, 0.03, 0.2],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "bell −18 at 50 Hz, Q 10",
    (c) => ffmpeg(c, "equalizer=f=50:t=q:w=10:g=-18"),
    { causes: [expectEq([[50, -18, 1.5]], ["minimum"])] },
  ],
  [
    "eq",
    "bell +9 at 45 Hz",
    (c) => ffmpeg(c, "equalizer=f=45:t=q:w=1.5:g=9"),
    { causes: [expectEq([[45, 9]], ["minimum"])] },
  ],
  [
    "eq",
    "high-pass 12 dB/oct at 80 Hz",
    (c) => ffmpeg(c, "highpass=f=80:p=2"),
    {
      causes: [
        expectEq(
          [
            [80, -3.01],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high-pass 24 dB/oct at 80 Hz",
    (c) => ffmpeg(c, "highpass=f=80:p=2", "highpass=f=80:p=2"),
    {
      causes: [
        expectEq(
          [
            [80, -6.02],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high-pass 48 dB/oct at 70 Hz",
    (c) => ffmpeg(c, ...Array.from({ length: 4 }, () => "highpass=f=70:p=2")),
    {
      causes: [
        expectEq(
          [
            [70, -12.04],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "low shelf +4 at 150 Hz",
    (c) => ffmpeg(c, "bass=g=4:f=150"),
    {
      causes: [
        expectEq(
          [
            [30, 4, 0.6],
            [2000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high shelf +3 at 8 kHz",
    (c) => ffmpeg(c, "treble=g=3:f=8000"),
    { causes: [expectEq([[200, 0]], ["minimum"])] },
  ],
  [
    "eq",
    "notch at 1.2 kHz",
    (c) => ffmpeg(c, "bandreject=f=1200:t=q:w=4"),
    {
      causes: [
        expectEq(
          [
            [600, -0.2, 0.6],
            [2400, -0.2, 0.6],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "low-pass 12 dB/oct at 6 kHz",
    (c) => ffmpeg(c, "lowpass=f=6000:p=2"),
    {
      causes: [
        expectEq(
          [
            [6000, -3.01],
            [500, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "linear phase",
    (c) =>
      ffmpeg(
        c,
        "firequalizer=zero_phase=on:gain_entry='entry(0,0);entry(300,0);entry(1500,6);entry(6000,0);entry(24000,0)'",
      ),
    {
      causes: [
        expectEq(
          [
            [1500, 6, 0.6],
            [100, 0],
          ],
          ["linear"],
        ),
      ],
      may: ["delay"],
    },
  ],
  [
    "eq",
    "all-pass at 500 Hz",
    (c) => ffmpeg(c, "allpass=f=500:t=q:w=0.7"),
    {
      causes: [
        expectEq(
          [
            [100, 0],
            [2000, 0],
          ],
          ["all-pass"],
        ),
      ],
    },
  ],
  [
    "eq",
    "left only",
    (c) => onSide(c, (l) => ffmpeg(l, "equalizer=f=1000:t=q:w=1:g=5"), 0),
    { causes: [expectEq([[1000, 5]], ["minimum"], "left")] },
    "stereo",
  ],
  [
    "eq",
    "right only, shelf",
    (c) => onSide(c, (l) => ffmpeg(l, "treble=g=-4:f=5000"), 1),
    { causes: [expectEq([[200, 0]], ["minimum"], "right")] },
    "stereo",
  ],
  [
    "eq",
    "mid only",
    (c) => onMid(c, (l) => ffmpeg(l, "equalizer=f=800:t=q:w=1:g=-5")),
    { causes: [expectEq([[800, -5]], ["minimum"], "mid")] },
    "stereo",
  ],
  [
    "eq",
    "side only, shelf",
    (c) => onMid(c, (l) => ffmpeg(l, "treble=g=4:f=6000"), "side"),
    { causes: [expectEq([[300, 0]], ["minimum"], "side")] },
    "stereo",
  ],
];
