/** What the values of a field can be recognised to be; the more special ones first. */
export interface Meaning {
  readonly name: string;
  /** For people. */
  readonly words: string;
  test(value: string): boolean;
}

const matching = (name: string, words: string, pattern: RegExp): Meaning => ({
  name,
  words,
  test: (value) => pattern.test(value),
});
const inRange = (day: number, month: number, year: number): boolean =>
  month >= 1 && month <= 12 && day >= 1 && day <= 31 && year >= 1800 && year <= 2200;
/** A date by the places of day, month and year in a pattern. */
const date = (words: string, pattern: RegExp, day: number, month: number, year: number): Meaning => ({
  name: `date ${words}`,
  words: `dates, ${words}`,
  test: (value) => {
    const found = pattern.exec(value);
    return found !== null && inRange(Number(found[day]), Number(found[month]), Number(found[year]));
  },
});

const COUNTRIES = new Set(
  'AD AE AF AG AI AL AM AO AR AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BR BS BT BW BY BZ CA CD CF CG CH CI CL CM CN CO CR CU CV CW CY CZ DE DJ DK DM DO DZ EC EE EG ER ES ET FI FJ FM FO FR GA GB GD GE GG GH GI GL GM GN GQ GR GT GW GY HK HN HR HT HU ID IE IL IM IN IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MG MH MK ML MM MN MO MR MT MU MV MW MX MY MZ NA NE NG NI NL NO NP NR NZ OM PA PE PG PH PK PL PT PW PY QA RO RS RU RW SA SB SC SD SE SG SI SK SL SM SN SO SR SS ST SV SY SZ TD TG TH TJ TL TM TN TO TR TT TV TW TZ UA UG US UY UZ VA VC VE VN VU WS YE ZA ZM ZW'.split(
    ' ',
  ),
);
const CURRENCIES = new Set(
  'AED ARS AUD BGN BRL CAD CHF CLP CNY COP CZK DKK EGP EUR GBP HKD HUF IDR ILS INR ISK JPY KES KRW MAD MXN MYR NGN NOK NZD PEN PHP PKR PLN QAR RON RSD RUB SAR SEK SGD THB TRY TWD UAH USD VND ZAR'.split(
    ' ',
  ),
);
const BOOLEANS = new Set(['t', 'f', 'true', 'false', 'yes', 'no', 'y', 'n', 'on', 'off']);

export const MEANINGS: readonly Meaning[] = [
  matching('uuid', 'UUIDs', /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i),
  matching('e-mail', 'e-mail addresses', /^[^@\s]+@[^@\s.]+(\.[^@\s.]+)+$/),
  matching(
    'timestamp',
    'dates with a time',
    /^(\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?|\d{1,2}[./]\d{1,2}[./]\d{4} \d{1,2}:\d{2}(:\d{2})?)$/,
  ),
  date('YYYY-MM-DD', /^(\d{4})-(\d{2})-(\d{2})$/, 3, 2, 1),
  date('DD.MM.YYYY', /^(\d{1,2})\.(\d{1,2})\.(\d{4})$/, 1, 2, 3),
  date('DD/MM/YYYY', /^(\d{1,2})\/(\d{1,2})\/(\d{4})$/, 1, 2, 3),
  date('MM/DD/YYYY', /^(\d{1,2})\/(\d{1,2})\/(\d{4})$/, 2, 1, 3),
  date('YYYYMMDD', /^((?:19|20)\d{2})(\d{2})(\d{2})$/, 3, 2, 1),
  { name: 'boolean', words: 'yes and no', test: (v) => BOOLEANS.has(v.toLowerCase()) },
  { name: 'country', words: 'country codes', test: (v) => v.length === 2 && COUNTRIES.has(v) },
  { name: 'currency', words: 'currency codes', test: (v) => v.length === 3 && CURRENCIES.has(v) },
  matching('postcode', 'postcodes', /^[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}$/),
  matching('phone', 'phone numbers', /^(\+|0\d|\()[\d ()/-]{6,18}\d$/),
  matching('whole number', 'whole numbers', /^[+-]?\d{1,18}-?$/),
  matching('number', 'numbers with a decimal point', /^[+-]?\d{1,15}(\.\d+)?-?$/),
  matching('number ,', 'numbers with a decimal comma', /^[+-]?\d{1,3}(\.?\d{3})*(,\d+)?-?$/),
];
