/** JSON of a comp of some version: not checked yet. */
export type Document = Readonly<Record<string, unknown>>

/**
 * Makes a comp of one version into one of the next. Pure; what it does not know it hands on, as the check comes after the last.
 * Each is a file of its own named by the version it makes (`002-tracks.ts`), with a saved comp of the version before in fixtures/.
 */
export type Upgrade = (document: Document) => Document
