/** The browser's microphone and loudspeaker, or a recording in the microphone's place. */
import { mixDown, readWav, resample } from '@verbalon/core';
import type { Frame } from '@verbalon/protocol';
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

async function openMicrophone(device: string): Promise<MediaStream> {
  if (!navigator.mediaDevices) {
    throw new MicrophoneTrouble(
      'The browser gives no microphone to this page.',
      'Browsers give one only to pages at http://localhost or over HTTPS; you can type.',
    );
  }
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: {
        echoCancellation: true,
        noiseSuppression: true,
        autoGainControl: true,
        ...(device === '' ? {} : { deviceId: device }),
      },
    });
  } catch (error) {
    const { name } = error as DOMException;
    if (name === 'NotAllowedError') {
      throw new MicrophoneTrouble(
        'The microphone is not allowed for this page.',
        'Allow it with the sign beside the address, then press the button again. You can also type.',
      );
    }
    if (name === 'NotFoundError') {
      throw new MicrophoneTrouble(
        'No microphone was found.',
        'Plug one in, then press the button again; or type.',
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
  /** The assistant was ducked at once, because a voice was heard here. */
  ducked: (capture: number) => void;
  recordingOver: () => void;
  /** A device went away or came, in words. */
  device: (words: string) => void;
}

/** The devices that were chosen, by id; empty for the system's own choice. */
export interface DeviceChoice {
  input: string;
  output: string;
}

/** The output's latency is asked for again this often, in ms: a loudspeaker without a wire may take over. */
const LATENCY_EVERY_MS = 1_000;

export class SoundEnd {
  private source: MediaStreamAudioSourceNode | null = null;
  private events: SoundEvents | null = null;
  private latency = 0;
  private readonly timer: number;
  private readonly onDevices = () => void this.devicesChanged();

  private constructor(
    private readonly context: AudioContext,
    private readonly node: AudioWorkletNode,
    private stream: MediaStream | null,
    private readonly recording: Float32Array | null,
    private choice: DeviceChoice,
  ) {
    this.timer = setInterval(() => this.watch(), LATENCY_EVERY_MS) as unknown as number;
    navigator.mediaDevices?.addEventListener('devicechange', this.onDevices);
    this.connect();
  }

  /**
   * `source`: a WAV file to speak in the microphone's place, or `microphone`, or `none` for typing only.
   * @param workletUrl where `line.worklet` is served
   */
  static async open(
    source: Uint8Array | 'microphone' | 'none',
    choice: DeviceChoice,
    workletUrl: string,
  ): Promise<SoundEnd> {
    const stream = source === 'microphone' ? await openMicrophone(choice.input) : null;
    const context = new AudioContext({ latencyHint: 'interactive' });
    await context.resume();
    await context.audioWorklet.addModule(workletUrl);
    const node = new AudioWorkletNode(context, 'verbalon-line', { numberOfInputs: 1, numberOfOutputs: 1 });
    node.connect(context.destination);
    const recording = source instanceof Uint8Array ? recordingAt(source, context.sampleRate) : null;
    const end = new SoundEnd(context, node, stream, recording, choice);
    if (choice.output !== '') await end.useOutput(choice.output);
    return end;
  }

  get rateHz(): number {
    return this.context.sampleRate;
  }

  /** The caller's axis begins now. */
  start(events: SoundEvents): void {
    this.events = events;
    this.node.port.onmessage = ({ data }: MessageEvent<FromWorklet>) => {
      if (data.kind === 'captured') events.captured(data.firstSample, data.samples);
      else if (data.kind === 'played') events.played(data.report);
      else if (data.kind === 'ducked') events.ducked(data.capture);
      else events.recordingOver();
    };
    this.latency = this.latencyNow();
    this.tell({ kind: 'start', latencySamples: this.latency, recording: this.recording });
  }

  add({ from, epoch, samples, last }: Pick<Frame, 'from' | 'epoch' | 'samples' | 'last'>): void {
    this.tell({ kind: 'sound', from, epoch, samples, last });
  }

  duck(): void {
    this.tell({ kind: 'duck' });
  }

  unduck(): void {
    this.tell({ kind: 'unduck' });
  }

  /** Whether a voice that is heard here makes the assistant quieter before the service says so. */
  ducksByItself(on: boolean): void {
    this.tell({ kind: 'ducksByItself', on });
  }

  flush(): void {
    this.tell({ kind: 'flush' });
  }

  /** Another microphone, in the middle of the talk. */
  async useInput(input: string): Promise<void> {
    if (!this.stream) return;
    const stream = await openMicrophone(input);
    this.choice = { ...this.choice, input };
    for (const track of this.stream.getTracks()) track.stop();
    this.stream = stream;
    this.connect();
  }

  /** Another loudspeaker, where the browser lets one be chosen. */
  async useOutput(output: string): Promise<void> {
    const context = this.context as AudioContext & { setSinkId?: (id: string) => Promise<void> };
    await context.setSinkId?.(output);
    this.choice = { ...this.choice, output };
  }

  close(): void {
    clearInterval(this.timer);
    navigator.mediaDevices?.removeEventListener('devicechange', this.onDevices);
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    this.node.disconnect();
    void this.context.close();
  }

  private connect(): void {
    this.source?.disconnect();
    if (!this.stream) return;
    this.source = this.context.createMediaStreamSource(this.stream);
    this.source.connect(this.node);
    this.stream.getAudioTracks()[0]?.addEventListener('ended', () => void this.microphoneWentAway());
  }

  private async microphoneWentAway(): Promise<void> {
    try {
      await this.useInput('');
      this.events?.device('The microphone went away; another one is in use.');
    } catch {
      this.events?.device('The microphone went away. Plug one in; you can type in the meantime.');
    }
  }

  /** A microphone that was plugged in after the last one went away is taken. */
  private async devicesChanged(): Promise<void> {
    const isDead = this.stream?.getAudioTracks().every(({ readyState }) => readyState === 'ended') ?? false;
    if (isDead) await this.microphoneWentAway();
  }

  private latencyNow(): number {
    const { outputLatency, baseLatency } = this.context;
    return Math.round((outputLatency || baseLatency || 0) * this.rateHz);
  }

  /** The latency may change, and a page in the background or a call may have stopped the sound. */
  private watch(): void {
    if (this.context.state !== 'running' && this.context.state !== 'closed') void this.context.resume();
    const now = this.latencyNow();
    if (now === this.latency) return;
    this.latency = now;
    this.tell({ kind: 'latency', latencySamples: now });
  }

  private tell(message: ToWorklet): void {
    this.node.port.postMessage(message);
  }
}

function recordingAt(bytes: Uint8Array, rateHz: number): Float32Array {
  const sound = readWav(bytes);
  return resample(mixDown(sound.channels), sound.rateHz, rateHz);
}
