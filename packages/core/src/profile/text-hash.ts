/** Seeds of each run, so that nobody can make texts that fall together. */
const SEEDS = Int32Array.from([0, 1], () => Math.floor(Math.random() * 2 ** 32));

/** 64 bits of hash over UTF-16 code units, in two halves that are left where they were computed: no pair is made for each text. */
export class TextHash {
  first = 0;
  second = 0;

  take(text: string): void {
    let a = SEEDS[0]!;
    let b = SEEDS[1]!;
    for (let i = 0; i < text.length; i++) {
      const unit = text.charCodeAt(i);
      a = Math.imul(a ^ unit, 0x01000193);
      b = Math.imul(b + unit, 0x5bd1e995);
      b ^= b >>> 15;
    }
    // The finish of MurmurHash3 (Appleby): every bit of the text's last letters reaches every bit of the hash.
    a = Math.imul(a ^ (a >>> 16), 0x85ebca6b);
    a = Math.imul(a ^ (a >>> 13), 0xc2b2ae35);
    this.first = a ^ (a >>> 16);
    this.second = b;
  }
}
