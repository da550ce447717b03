/** Floats as packed signed 24-bit little-endian samples, rounded to nearest and clipped at full scale. */
export function packSamples(samples: Float32Array): ArrayBuffer {
  const bytes = new Uint8Array(samples.length * 3)
  for (let i = 0, at = 0; i < samples.length; i++) {
    const value = Math.max(-8_388_608, Math.min(8_388_607, Math.round(samples[i]! * 8_388_608)))
    bytes[at++] = value & 0xff
    bytes[at++] = (value >> 8) & 0xff
    bytes[at++] = (value >> 16) & 0xff
  }
  return bytes.buffer
}
