const begun = Date.now()
/** One line of progress, with the seconds since the start. */
export const say = (text) => console.log(`${((Date.now() - begun) / 1000).toFixed(1).padStart(6)} s  ${text}`)
/** Ends the program with a message that says what happened and what to do. */
export function stop(text) {
  console.error(`\n${text}\n`)
  process.exit(1)
}
