// The probe stands outside of the application: it is injected before the page loads and knows nothing of its parts.
// It gives the application a microphone of its own. What goes to the loudspeaker comes back into it after a known delay,
// and in mode 'eye' somebody looks at the canvas and answers each flash with a click, a known while after seeing it.
;(() => {
  const probe = {
    delay: __DELAY__, // samples from loudspeaker to microphone
    reaction: __REACTION__, // seconds from sight to click
    flashes: __FLASHES__, // frames of the film that are white
    bits: 16,
    looking: false,
    ticks: [], // [frame seen, milliseconds]
    clicks: [], // [frame seen, milliseconds, frames by which the click came too late to be on time]
    rate: 48000, // what the track says of itself
    tracks: [],
    contexts: new Set(),
    hidden: false, // true: what a browser does to a tab in the background
  }
  window.__probe = probe
  const connect = AudioNode.prototype.connect
  const mics = new Map()
  const micOf = (context) => {
    if (!mics.has(context)) {
      const tap = new GainNode(context)
      const back = new DelayNode(context, { delayTime: probe.delay / 48000, maxDelayTime: 5 })
      connect.call(tap, back)
      mics.set(context, { tap, back, offsets: [], last: -1 })
      probe.contexts.add(context)
    }
    return mics.get(context)
  }
  AudioNode.prototype.connect = function (to, ...more) {
    if (to instanceof AudioDestinationNode) connect.call(this, micOf(to.context).tap)
    return connect.call(this, to, ...more)
  }
  AudioContext.prototype.createMediaStreamSource = function () {
    // A node of its own each time, so that the application may take it off again.
    const source = new GainNode(this)
    connect.call(micOf(this).back, source)
    return source
  }
  navigator.mediaDevices.getUserMedia = async () => {
    const context = new OfflineAudioContext(1, 128, 48000)
    const stream = new MediaStream()
    void context
    const silent = new AudioContext().createMediaStreamDestination().stream.getAudioTracks()[0]
    silent.getSettings = () => ({ sampleRate: probe.rate, channelCount: 1, echoCancellation: false })
    stream.addTrack(silent)
    probe.tracks.push(silent)
    return stream
  }
  const devices = [
    { deviceId: 'probe', kind: 'audioinput', label: 'Probe microphone', groupId: '' },
    { deviceId: 'default', kind: 'audiooutput', label: 'Probe loudspeaker', groupId: '' },
  ]
  navigator.mediaDevices.enumerateDevices = async () => devices

  const burst = Float32Array.from(__BURST__)
  const median = (values) => [...values].sort((a, b) => a - b)[values.length >> 1]
  /** Frame of the context that is heard at a moment, by the probe's own readings. */
  const heardAt = (context, milliseconds) => {
    const mic = micOf(context)
    return (milliseconds / 1000 + median(mic.offsets)) * 48000
  }
  const read = () => {
    for (const [context, mic] of mics) {
      const { contextTime, performanceTime } = context.getOutputTimestamp()
      if (!performanceTime || contextTime === mic.last) continue
      mic.last = contextTime
      mic.offsets.push(contextTime - performanceTime / 1000)
      if (mic.offsets.length > 9) mic.offsets.shift()
    }
  }
  setInterval(read, 15)
  // A tab in the background has no animation frames, and timers once a second.
  const interval = window.setInterval.bind(window)
  window.setInterval = (work, ms, ...more) => {
    let ran = 0
    return interval(() => {
      if (probe.hidden && performance.now() - ran < 1000) return
      ran = performance.now()
      work(...more)
    }, ms)
  }
  const click = (context, frame) => {
    const buffer = new AudioBuffer({ length: burst.length, sampleRate: 48000 })
    buffer.copyToChannel(burst, 0)
    const source = new AudioBufferSourceNode(context, { buffer })
    connect.call(source, micOf(context).tap)
    source.start(frame / 48000)
  }
  let seen = -1
  let last = 0
  const look = (now) => {
    const canvas = document.querySelector('[data-testid=picture]')
    if (!probe.looking || !canvas || now === last || canvas.width < 100) return
    const { width, height } = canvas
    const row = canvas.getContext('2d').getImageData(0, Math.floor(height / 8), width, 1).data
    let frame = 0
    for (let bit = 0; bit < probe.bits; bit++) {
      frame = frame * 2 + (row[4 * Math.floor(((bit + 0.5) * width) / probe.bits)] > 127 ? 1 : 0)
    }
    if (frame === seen) return
    seen = frame
    last = now
    probe.ticks.push([frame, now])
    if (!probe.flashes.includes(frame)) return
    for (const context of mics.keys()) {
      if (context.state !== 'running') continue
      const at = heardAt(context, now + probe.reaction * 1000)
      const late = Math.max(0, context.currentTime * 48000 + 256 - at)
      click(context, Math.max(0, at))
      probe.clicks.push([frame, now, Math.round(late)])
    }
  }
  const raf = window.requestAnimationFrame.bind(window)
  window.requestAnimationFrame = (work) =>
    raf((now) => {
      if (probe.hidden) return void window.requestAnimationFrame(work)
      work(now)
      look(now)
    })
})()
