/** Of what form a journal is; one of another form can be neither read nor replayed. */
export const JOURNAL_VERSION = 2;
