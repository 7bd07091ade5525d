/** The store's SQL files are texts, as they are where the programs are built. */
export default { process: (text) => ({ code: `module.exports = ${JSON.stringify(text)};` }) };
