"use client";

import { type ComponentType, useEffect, useLayoutEffect } from "react";

/** Keys pressed before a stop takes them, in their order. */
let held: KeyboardEvent[] = [];
let isHolding = false;
let onTheirWay = 0;
/** Where no stop comes of it, as in a comparison that is not there, keys are free again after so long. */
const MOST_HELD_MS = 1000;

/** Typing, moving the focus and the browser's own shortcuts are not held. */
function isForAStop({ key, target, ctrlKey, metaKey, altKey }: KeyboardEvent): boolean {
  if (ctrlKey || metaKey || altKey || ["Tab", "Enter", "Shift", "Escape"].includes(key) || /^F\d+$/.test(key))
    return false;
  if (!(target instanceof HTMLElement)) return true;
  // A button or link that holds the focus keeps its own Space; letters go on to the stop.
  if (key === " " && target.closest("button, a")) return false;
  return !target.closest("input, textarea, select, [contenteditable]");
}

function hold(event: KeyboardEvent): void {
  if (!event.isTrusted || !isForAStop(event)) return;
  held.push(event);
  event.preventDefault();
  event.stopImmediatePropagation();
}

/** Holds keys for the stop that is on its way. */
export function HoldKeys() {
  useLayoutEffect(() => {
    if (!isHolding) window.addEventListener("keydown", hold, { capture: true });
    isHolding = true;
    onTheirWay++;
    return () => {
      onTheirWay--;
      setTimeout(() => onTheirWay === 0 && letGo(), MOST_HELD_MS);
    };
  }, []);
  return null;
}

/** Does what was pressed meanwhile, as if it were pressed now. */
function letGo(): void {
  if (isHolding) window.removeEventListener("keydown", hold, { capture: true });
  isHolding = false;
  const pressed = held;
  held = [];
  for (const { key, code, shiftKey } of pressed)
    for (const type of ["keydown", "keyup"])
      document.body.dispatchEvent(new KeyboardEvent(type, { key, code, shiftKey, bubbles: true, cancelable: true }));
}

/** A stop that is given the keys pressed before it was there: its own effects, which take keys, run before this one's. */
export function withHeldKeys(Stop: ComponentType): ComponentType {
  return function StopWithKeys() {
    useEffect(letGo, []);
    return <Stop />;
  };
}
