/** Days of the week by their number in cron, from 0. */
export const WEEKDAYS: readonly string[] = [
  $localize`Sunday`,
  $localize`Monday`,
  $localize`Tuesday`,
  $localize`Wednesday`,
  $localize`Thursday`,
  $localize`Friday`,
  $localize`Saturday`,
];
