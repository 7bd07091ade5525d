import { Random } from '../random.ts';
import type { DatabaseWorld } from './database.ts';

const TOWNS = ['Quay', 'Hill', 'Mill', 'Ferry', 'Abbey', 'Orchard', 'Station', 'Harbour'];

/** The Ledger: short names, foreign keys, checks; it refuses what does not fit, as ledgers do. */
export function ledger(): DatabaseWorld {
  const random = new Random(4471);
  const accounts = Array.from({ length: 120 }, (_, i) => {
    const number = `A${String(10_000 + i * 7)}`;
    const opened = `20${random.whole(15, 24)}-0${random.whole(1, 9)}-1${random.whole(0, 9)}`;
    return {
      number,
      row: `('${number}', '${random.pick(TOWNS)} account ${i + 1}', '${i % 9 === 4 ? 'EUR' : 'GBP'}', '${opened}')`,
    };
  });
  const postings = Array.from({ length: 600 }, (_, i) => {
    const cents = random.whole(100, 9900) * (random.next() < 0.15 ? -1 : 1);
    const day = `2026-0${random.whole(1, 9)}-${String(random.whole(1, 28)).padStart(2, '0')}`;
    return `('${random.pick(accounts).number}', '${day}', '${random.pick(['PAS', 'DAY', 'REF'])}', ${(cents / 100).toFixed(2)}, 'SU-${String(i + 1).padStart(6, '0')}')`;
  });
  return {
    name: 'ledger',
    users: { reader: 'ledger-practice', poster: 'posting-practice' },
    sql: `
      CREATE TABLE ref_ccy (code char(3) PRIMARY KEY, nm varchar(30) NOT NULL);
      INSERT INTO ref_ccy VALUES ('GBP', 'Pound'), ('EUR', 'Euro');
      CREATE TABLE ref_kind (code char(3) PRIMARY KEY, nm varchar(30) NOT NULL);
      INSERT INTO ref_kind VALUES ('PAS', 'Pass sold'), ('DAY', 'Day ticket'), ('REF', 'Refund'), ('FEE', 'Fee');
      CREATE TABLE acct (
        acct_no varchar(12) PRIMARY KEY, nm varchar(40) NOT NULL, ccy char(3) NOT NULL REFERENCES ref_ccy,
        opn date NOT NULL, cls date, CHECK (cls IS NULL OR cls >= opn));
      COMMENT ON TABLE acct IS 'Accounts';
      COMMENT ON COLUMN acct.acct_no IS 'Account number';
      COMMENT ON COLUMN acct.ccy IS 'Currency';
      COMMENT ON COLUMN acct.opn IS 'Opened on';
      COMMENT ON COLUMN acct.cls IS 'Closed on';
      INSERT INTO acct (acct_no, nm, ccy, opn) VALUES ${accounts.map((a) => a.row).join(', ')};
      CREATE TABLE post (
        ref varchar(20) PRIMARY KEY, acct_no varchar(12) NOT NULL REFERENCES acct, pst_on date NOT NULL,
        kind char(3) NOT NULL REFERENCES ref_kind, amt numeric(10,2) NOT NULL CHECK (amt <> 0), txt varchar(60),
        CONSTRAINT post_in_scheme CHECK (pst_on >= DATE '2015-01-01'));
      COMMENT ON TABLE post IS 'Postings; what is posted is never changed';
      COMMENT ON COLUMN post.ref IS 'Reference of whoever posts, once only';
      COMMENT ON COLUMN post.pst_on IS 'Posted on';
      COMMENT ON COLUMN post.amt IS 'Amount in whole units; refunds are negative';
      INSERT INTO post (acct_no, pst_on, kind, amt, ref) VALUES ${postings.join(', ')};
      CREATE VIEW bal AS SELECT acct_no, sum(amt) AS amt, count(*) AS n FROM post GROUP BY acct_no;
      COMMENT ON VIEW bal IS 'Balance of each account';
      ANALYZE;`,
    whileOpen: GATE,
    ways: { postingsPerMinute: 100, opensAt: 22, closesAt: 6 },
    obey: ({ postingsPerMinute = 0, opensAt = 0, closesAt = 0 }) =>
      `UPDATE pg_temp.gate SET per_minute = ${postingsPerMinute}, opens = ${opensAt}, closes = ${closesAt}`,
  };
}

/**
 * The Ledger takes postings at its pace and in its hours only. The whole database is one session here, so that what
 * keeps the gate can lie in its temporary schema, where nobody's catalogue shows it.
 */
const GATE = `
  CREATE TEMP TABLE gate (per_minute integer, opens integer, closes integer, minute timestamptz, taken integer);
  INSERT INTO gate VALUES (0, 0, 0, now(), 0);
  CREATE FUNCTION pg_temp.keep_gate() RETURNS trigger LANGUAGE plpgsql AS $$
  DECLARE
    g pg_temp.gate;
    hour integer := extract(hour FROM clock_timestamp() AT TIME ZONE 'UTC');
  BEGIN
    UPDATE pg_temp.gate SET
      taken = CASE WHEN minute = date_trunc('minute', clock_timestamp()) THEN taken ELSE 0 END + 1,
      minute = date_trunc('minute', clock_timestamp())
    RETURNING * INTO g;
    IF g.opens <> g.closes AND NOT (CASE WHEN g.opens < g.closes THEN hour >= g.opens AND hour < g.closes
                                         ELSE hour >= g.opens OR hour < g.closes END) THEN
      RAISE EXCEPTION 'postings are taken from % to % UTC only', lpad(g.opens::text, 2, '0') || ':00', lpad(g.closes::text, 2, '0') || ':00'
        USING ERRCODE = '55000';
    END IF;
    IF g.per_minute > 0 AND g.taken > g.per_minute THEN
      RAISE EXCEPTION 'no more than % postings are taken a minute', g.per_minute;
    END IF;
    RETURN NEW;
  END $$;
  CREATE OR REPLACE TRIGGER keep_gate BEFORE INSERT ON post FOR EACH ROW EXECUTE FUNCTION pg_temp.keep_gate();`;

/** The Warehouse: one schema that syncs load and analysts query; tables may be made. */
export function warehouse(): DatabaseWorld {
  return {
    name: 'warehouse',
    users: { loader: 'warehouse-practice' },
    sql: `
      CREATE TABLE area (area varchar(20) PRIMARY KEY, region varchar(20) NOT NULL);
      COMMENT ON TABLE area IS 'Areas of the scheme';
      INSERT INTO area VALUES ${TOWNS.map((t, i) => `('${t}', '${i % 2 === 0 ? 'North' : 'South'}')`).join(', ')};
      ANALYZE;`,
  };
}
