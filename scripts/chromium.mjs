import { existsSync } from 'node:fs';

/** Debian's Chromium without windows, which is quicker, before the whole one. */
const PROGRAMS = ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium'];

/** The program of the browser: what CHROMIUM names, or Debian's; undefined where there is none. */
export function chromiumHere() {
  return process.env.CHROMIUM ?? PROGRAMS.find((program) => existsSync(program));
}
