/** What child processes are given of the environment. */

/**
 * Where programs, libraries and folders are, the language, the time zone; and what our own hosts are told.
 */
const NEEDED =
  /^(?:PATH|HOME|USER|LOGNAME|SHELL|TMPDIR|TZ|LANG|LANGUAGE|LC_\w+|TERM|LD_LIBRARY_PATH|XDG_RUNTIME_DIR|VERBALON_POCKETSPHINX_MODEL)$/;

/**
 * The variables that a child process needs: keys are not among them. @param own what only this one is given
 */
export function childEnvironment(own: Readonly<Record<string, string>> = {}): Record<string, string> {
  const needed = Object.entries(process.env).filter(
    (entry): entry is [string, string] => NEEDED.test(entry[0]) && entry[1] !== undefined,
  );
  return { ...Object.fromEntries(needed), ...own };
}
