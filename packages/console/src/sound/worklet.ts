/** Where the console's build puts what runs beside the microphone. */
export { default as workletUrl } from '@verbalon/client/worklet?worker&url';
