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
  };
}

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
