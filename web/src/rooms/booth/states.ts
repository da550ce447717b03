import type { BoothState } from '../../engine/recorder'

/** What the Booth does, in words. */
export const STATES: Record<BoothState['kind'], string> = {
  ready: 'Ready',
  'counting in': 'Counting in',
  recording: 'Recording',
  paused: 'Paused',
  'going on': 'Going on',
  finishing: 'Stopping',
  saving: 'Saving',
  saved: 'Saved',
  failed: 'Not recorded',
}
