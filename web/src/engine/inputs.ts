import type { Audio } from './audio'
import { SAMPLE_RATE } from './time'

/** Where sound comes from; `id` is the browser's device, or the simulated reader's. */
export type InputChoice = { device: string; label: string; channel: number; fault?: string; delay?: number }

/** Hears of trouble: what to say, and whether the sound has ended with it. */
export type Lost = (said: string, ends: boolean) => void

export const SIMULATED: InputChoice = { device: 'simulated', label: 'Simulated reader', channel: 0 }
/** A microphone that hears the loudspeaker after a known while: for trying the loop test. */
export const SIMULATED_LOOP: InputChoice = {
  device: 'simulated-loop',
  label: 'Simulated loop',
  channel: 0,
  delay: 40,
}

/** An open input: mono sound of one channel, on a node of the one context. */
export type OpenInput = {
  readonly choice: InputChoice
  readonly node: AudioNode
  readonly channels: number
  /** Of each channel, where there are several: how loud it is now. */
  readonly meters: readonly AnalyserNode[]
  /** From mouth to label, samples; and where that figure comes from. */
  readonly latency: number
  readonly latencySource: 'none' | 'browser'
  /** Prepare for a line, so that a reading can begin on its cue. */
  prepare(line: string): void
  /** The line's first frame will be heard at this frame of the context. */
  cue(frame: number): Promise<void>
  /** The reader stops speaking. */
  hush(): void
  close(): void
}

/** Something about the microphone that a person can mend. */
export class InputProblem extends Error {}

/** The inputs that can be chosen: the simulated reader, and what the browser names. */
export async function listInputs(): Promise<InputChoice[]> {
  const devices = (await navigator.mediaDevices?.enumerateDevices?.()) ?? []
  const real = devices
    .filter((device) => device.kind === 'audioinput' && device.deviceId !== 'communications')
    .map((device, index) => ({
      device: device.deviceId || 'default',
      label: device.label || `Microphone ${index + 1}`,
      channel: 0,
    }))
  return [...real, SIMULATED, SIMULATED_LOOP]
}

const INSECURE =
  'Browsers open microphones only to secure addresses: this machine’s own (127.0.0.1, localhost), or https. ' +
  'Open Fendo there; the simulated reader works here, too.'

/** Whether a microphone is one that sits in the machine, by its name. */
export function isBuiltIn(label: string): boolean {
  return /built[- ]?in|internal|integrated|eingebaut|intern[eo]?\b|intégré|array/i.test(label)
}

function said(error: unknown): string {
  const name = error instanceof DOMException ? error.name : ''
  if (name === 'NotAllowedError') {
    return 'The browser does not let Fendo hear this microphone. Allow it at the left end of the address bar, then choose it again.'
  }
  if (name === 'NotFoundError' || name === 'OverconstrainedError') {
    return 'This microphone is not connected any more. Plug it in, or choose another one.'
  }
  if (name === 'NotReadableError') {
    return 'Another program holds this microphone. Close that program, then choose the microphone again.'
  }
  return 'This microphone could not be opened. Choose it again, or choose another one.'
}

/** Open a real microphone, with everything off that browsers do to voices. */
async function openMicrophone(audio: Audio, choice: InputChoice, onLost: Lost): Promise<OpenInput> {
  let stream: MediaStream
  if (!navigator.mediaDevices) throw new InputProblem(INSECURE)
  try {
    stream = await navigator.mediaDevices.getUserMedia({
      audio: {
        deviceId: choice.device === 'default' ? undefined : { exact: choice.device },
        channelCount: { ideal: 2 },
        echoCancellation: false,
        noiseSuppression: false,
        autoGainControl: false,
      },
    })
  } catch (error) {
    throw new InputProblem(said(error))
  }
  const track = stream.getAudioTracks()[0]!
  const settings = track.getSettings()
  if (settings.echoCancellation || settings.noiseSuppression || settings.autoGainControl) {
    onLost(
      'This browser changes the voice (echo or noise suppression can’t be switched off). Takes will sound processed.',
      false,
    )
  }
  track.onended = () =>
    onLost('The microphone was unplugged. What was recorded until then is kept. Plug it in and choose it again.', true)
  track.onmute = () =>
    onLost('The system muted the microphone. What was recorded until then is kept. Unmute it, then read again.', true)
  track.onunmute = () => onLost('', false)
  const speed = settings.sampleRate
  const watch = setInterval(() => {
    const now = track.getSettings().sampleRate
    if (now === speed || track.readyState !== 'live') return
    clearInterval(watch)
    onLost(
      `The microphone changed from ${speed} to ${now} samples a second. What was recorded until then is kept. Choose it again, then go on.`,
      true,
    )
  }, 250)
  const channels = settings.channelCount ?? 1
  const source = audio.context.createMediaStreamSource(stream)
  const splitter = new ChannelSplitterNode(audio.context, { numberOfOutputs: Math.max(1, channels) })
  const node = new GainNode(audio.context, { channelCount: 1, channelCountMode: 'explicit' })
  source.connect(splitter)
  splitter.connect(node, Math.min(choice.channel, channels - 1))
  const meters = Array.from({ length: channels > 1 ? channels : 0 }, (_, channel) => {
    const meter = new AnalyserNode(audio.context, { fftSize: 2048 })
    splitter.connect(meter, channel)
    return meter
  })
  const latency = Math.round(((settings as { latency?: number }).latency ?? 0) * SAMPLE_RATE)
  return {
    choice,
    node,
    channels,
    meters,
    latency,
    latencySource: 'browser',
    prepare() {},
    async cue() {},
    hush() {},
    close() {
      clearInterval(watch)
      track.onended = null
      track.onmute = null
      track.onunmute = null
      for (const each of stream.getTracks()) each.stop()
      source.disconnect()
      splitter.disconnect()
      node.disconnect()
    },
  }
}

type Reading = { buffer: AudioBuffer; cue: number }

/** The simulated reader: a made voice on the same context, with the quiet of its room between the lines. */
class SimulatedReader implements OpenInput {
  readonly node: GainNode
  readonly channels = 1
  readonly meters = []
  readonly latency = 0
  readonly latencySource = 'none'
  private line = ''
  private seed = Math.floor(Math.random() * 1e6)
  private reading: Promise<Reading> | undefined
  private speaking: AudioBufferSourceNode | undefined
  private room: AudioBufferSourceNode

  constructor(
    private readonly audio: Audio,
    readonly choice: InputChoice,
  ) {
    this.node = new GainNode(audio.context)
    const quiet = new AudioBuffer({ length: 4 * SAMPLE_RATE, sampleRate: SAMPLE_RATE })
    const noise = quiet.getChannelData(0)
    for (let i = 0, tint = 0; i < noise.length; i++) {
      tint = 0.9 * tint + (Math.random() * 2 - 1) * 0.00075
      noise[i] = tint
    }
    this.room = new AudioBufferSourceNode(audio.context, { buffer: quiet, loop: true })
    this.room.connect(this.node)
    this.room.start()
  }

  prepare(line: string): void {
    if (line === this.line && this.reading) return
    this.line = line
    this.reading = this.fetch(line)
    this.reading.catch(() => {
      this.reading = undefined
    })
  }

  private async fetch(line: string): Promise<Reading> {
    const query = new URLSearchParams({ seed: String(this.seed++), fault: this.choice.fault || 'none' })
    const away = 'The server can’t be reached, and the simulated reader speaks from there.'
    const answer = await fetch(`/api/lines/${line}/simulated-reading/?${query}`, { credentials: 'same-origin' }).catch(
      () => {
        throw new InputProblem(away)
      },
    )
    if (!answer.ok) {
      const problem = (await answer.json().catch(() => ({}))) as { detail?: string }
      throw new InputProblem(problem.detail ?? 'The simulated reader could not speak this line.')
    }
    const cue = Number(answer.headers.get('X-Cue') ?? SAMPLE_RATE)
    return { buffer: await this.audio.context.decodeAudioData(await answer.arrayBuffer()), cue }
  }

  async cue(frame: number): Promise<void> {
    if (!this.reading) this.prepare(this.line)
    const { buffer, cue } = await this.reading!
    this.reading = undefined
    this.hush()
    const source = new AudioBufferSourceNode(this.audio.context, { buffer })
    source.connect(this.node)
    const late = Math.max(0, this.audio.soon(0.01) - (frame - cue))
    // Who got the words too late reads late, but all of them.
    source.start((frame - cue + late) / SAMPLE_RATE, Math.min(late, cue) / SAMPLE_RATE)
    this.speaking = source
  }

  hush(): void {
    this.speaking?.stop()
    this.speaking = undefined
  }

  close(): void {
    this.hush()
    this.room.stop()
    this.node.disconnect()
  }
}

/** Everything that goes to the loudspeaker, back into a microphone after the chosen while. */
function simulatedLoop(audio: Audio, choice: InputChoice): OpenInput {
  const node = new DelayNode(audio.context, { delayTime: (choice.delay ?? 40) / 1000, maxDelayTime: 0.6 })
  audio.out.connect(node)
  return {
    choice,
    node,
    channels: 1,
    meters: [],
    latency: 0,
    latencySource: 'browser',
    prepare() {},
    async cue() {},
    hush() {},
    close() {
      audio.out.disconnect(node)
      node.disconnect()
    },
  }
}

/** Open the chosen input. `onLost` hears what goes wrong with it later. */
export function openInput(audio: Audio, choice: InputChoice, onLost: Lost): Promise<OpenInput> {
  if (choice.device === SIMULATED_LOOP.device) return Promise.resolve(simulatedLoop(audio, choice))
  if (choice.device === SIMULATED.device) return Promise.resolve(new SimulatedReader(audio, choice))
  return openMicrophone(audio, choice, onLost)
}

/** A way of sound, as it is remembered. */
export type Devices = { input: string; output: string; browser: string }

/** Which way sound goes now: this input, the output that is in use, this browser. */
export async function devicesOf(choice: InputChoice): Promise<Devices> {
  const devices = (await navigator.mediaDevices?.enumerateDevices?.()) ?? []
  const outputs = devices.filter((device) => device.kind === 'audiooutput')
  const output = (outputs.find((device) => device.deviceId === 'default') ?? outputs[0])?.label ?? ''
  const browser = /(Firefox|Edg|OPR|Chrome|Safari)\//.exec(navigator.userAgent)?.[1] ?? 'browser'
  const way = choice.delay ? ` ${choice.delay} ms` : ''
  return { input: `${choice.label}${way}`.slice(0, 200) || choice.device, output: output.slice(0, 200), browser }
}
