import { LEASE } from '@versicle/store/claims';

/** Seconds after which a process that is not heard of counts as gone, with the records that only it can reach. */
export const GONE_SECONDS = Math.max(LEASE, Number(process.env['VERSICLE_GONE_SECONDS'] ?? 300));

/** Of a run `r`: it can fetch again what lies with another process, and tell whether that is the same, or has not begun with it yet. */
export const CAN_FETCH_AGAIN =
  "(r.kind = 'full' AND (r.source IS NULL OR r.source #> '{files,0,sum}' IS NOT NULL) AND (r.carries -> 'part') IS NULL)";

/** Of a run `r`: what it has fetched lies with a process that is gone, and can be fetched again. */
export const LEFT_BEHIND = `(${CAN_FETCH_AGAIN} AND NOT EXISTS (SELECT 1 FROM worker w
  WHERE w.place = r.records_at AND w.seen_at > clock_timestamp() - make_interval(secs => ${GONE_SECONDS})))`;
