/**
 * Where the model of the local ears lies: acoustics `en-us`, language model `en-us.lm.bin`, dictionary
 * `cmudict-en-us.dict`.
 */
export function modelFolder(): string {
  return process.env.VERBALON_POCKETSPHINX_MODEL ?? '/usr/share/pocketsphinx/model/en-us';
}
