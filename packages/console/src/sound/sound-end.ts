/** The browser's microphone and loudspeaker, or a recording in the microphone's place. */
import { mixDown, readWav, resample } from '@verbalon/core';
import type { Frame } from '@verbalon/protocol';
import workletUrl from './line.worklet.ts?worker&url';
import type { FromWorklet, ToWorklet } from './line.worklet.js';

/** Why the microphone cannot be used, in words for the person in front of it. */
export class MicrophoneTrouble extends Error {
  constructor(
    message: string,
    readonly wayOut: string,
  ) {
    super(message);
  }
}

async function openMicrophone(): Promise<MediaStream> {
  if (!navigator.mediaDevices) {
    throw new MicrophoneTrouble(
      'The browser gives no microphone to this page.',
      'Open the console at http://localhost or over HTTPS, or let a recorded walker talk.',
    );
  }
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: { echoCancellation: true, noiseSuppression: true, autoGainControl: true },
    });
  } catch (error) {
    const { name } = error as DOMException;
    if (name === 'NotAllowedError') {
      throw new MicrophoneTrouble(
        'The microphone is not allowed for this page.',
        'Allow it with the sign beside the address, then press the button again. You can also type, or let a walker talk.',
      );
    }
    if (name === 'NotFoundError') {
      throw new MicrophoneTrouble(
        'No microphone was found.',
        'Plug one in, then press the button again; or let a walker talk.',
      );
    }
    throw new MicrophoneTrouble(
      `The microphone cannot be used (${name}).`,
      'Close other programs that use it and try again.',
    );
  }
}

export interface SoundEvents {
  captured: (firstSample: number, samples: Int16Array) => void;
  played: (report: { speech: number; sample: number; capture: number; flushed?: boolean }) => void;
  recordingOver: () => void;
}

export class SoundEnd {
  private constructor(
    private readonly context: AudioContext,
    private readonly node: AudioWorkletNode,
    private readonly stream: MediaStream | null,
    private readonly recording: Float32Array | null,
  ) {}

  /** `source`: a WAV file to speak in the microphone's place, or `microphone`, or `none` for typing only. */
  static async open(source: Uint8Array | 'microphone' | 'none'): Promise<SoundEnd> {
    const stream = source === 'microphone' ? await openMicrophone() : null;
    const context = new AudioContext({ latencyHint: 'interactive' });
    await context.resume();
    await context.audioWorklet.addModule(workletUrl);
    const node = new AudioWorkletNode(context, 'verbalon-line', { numberOfInputs: 1, numberOfOutputs: 1 });
    if (stream) context.createMediaStreamSource(stream).connect(node);
    node.connect(context.destination);
    return new SoundEnd(
      context,
      node,
      stream,
      source instanceof Uint8Array ? recordingAt(source, context.sampleRate) : null,
    );
  }

  get rateHz(): number {
    return this.context.sampleRate;
  }

  /** The caller's axis begins now. */
  start(events: SoundEvents): void {
    this.node.port.onmessage = ({ data }: MessageEvent<FromWorklet>) => {
      if (data.kind === 'captured') events.captured(data.firstSample, data.samples);
      else if (data.kind === 'played') events.played(data.report);
      else events.recordingOver();
    };
    const { outputLatency, baseLatency } = this.context;
    const latencySamples = Math.round((outputLatency || baseLatency || 0) * this.rateHz);
    this.tell({ kind: 'start', latencySamples, recording: this.recording });
  }

  play({ epoch, samples, last }: Frame): void {
    this.tell({ kind: 'sound', epoch, samples, last });
  }

  duck(): void {
    this.tell({ kind: 'duck' });
  }

  unduck(): void {
    this.tell({ kind: 'unduck' });
  }

  flush(): void {
    this.tell({ kind: 'flush' });
  }

  close(): void {
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    this.node.disconnect();
    void this.context.close();
  }

  private tell(message: ToWorklet): void {
    this.node.port.postMessage(message);
  }
}

function recordingAt(bytes: Uint8Array, rateHz: number): Float32Array {
  const sound = readWav(bytes);
  return resample(mixDown(sound.channels), sound.rateHz, rateHz);
}
