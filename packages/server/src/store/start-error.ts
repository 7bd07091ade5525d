/** The server can't start; the message is for the person who started it. */
export class StartError extends Error {}
