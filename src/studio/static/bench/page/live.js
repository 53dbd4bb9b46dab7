// The live socket: one message in flight, the newest waiting behind it; it connects again by itself and says so.

import { COLOURS, NO_FRAME, laidOver, unpackFrame } from './buffers.js';

const FIRST_WAIT = 300; // ms
const LONGEST_WAIT = 5000;

export class Live {
  /** `listener` hears `frame(frame)`, `swingFrame(frame)`, `connection(isOpen, sentence)`, `headMoved(revision)`, `seamRead(seam)`, `stepped(channels)`, `swinging(moves)`, `said(sentence)`. */
  constructor(figureId, listener) {
    this.figureId = figureId;
    this.listener = listener;
    this.serial = 0;
    this.inFlight = null;
    this.next = null;
    this.posed = null; // the vertices of the last pose that was answered
    this.wait = FIRST_WAIT;
    this.open();
  }

  open() {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    this.socket = new WebSocket(`${scheme}://${location.host}/live/${this.figureId}/`);
    this.socket.binaryType = 'arraybuffer';
    this.socket.onopen = () => {
      this.wait = FIRST_WAIT;
      this.listener.connection(true, '');
      this.next = this.next || this.inFlight;
      this.inFlight = null;
      this.pump();
    };
    this.socket.onmessage = (event) => this.receive(event.data);
    this.socket.onclose = (event) => {
      const final = { 4401: 'You were signed out.', 4404: 'This figure was deleted, perhaps in another tab.' }[
        event.code
      ];
      this.listener.connection(false, final || 'The live connection was lost; connecting again …');
      if (final) return;
      setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    };
  }

  send(message) {
    this.serial += 1;
    this.next = { serial: this.serial, ...message };
    this.pump();
    return this.serial;
  }

  pump() {
    if (this.inFlight || !this.next || this.socket.readyState !== WebSocket.OPEN) return;
    this.inFlight = this.next;
    this.next = null;
    this.socket.send(JSON.stringify(this.inFlight));
  }

  receive(data) {
    if (typeof data === 'string') {
      const message = JSON.parse(data);
      if (message.head) this.listener.headMoved(message.head);
      if (message.stepped) this.listener.stepped(message.stepped);
      if ('swinging' in message) this.listener.swinging(message.swinging);
      if (message.seam) this.listener.seamRead(message.seam);
      if (message.sentence) {
        this.listener.said(message.sentence);
        this.inFlight = null;
        this.pump();
      }
      return;
    }
    const frame = unpackFrame(data);
    if (frame.frame === COLOURS) {
      this.inFlight = null;
      this.pump();
      this.listener.stroke(frame);
    } else if (frame.frame === NO_FRAME) {
      this.inFlight = null;
      this.pump();
      if (frame.runs) frame.vertices = laidOver(this.posed, frame);
      this.posed = frame.vertices;
      this.listener.frame(frame);
    } else {
      if (this.inFlight && this.inFlight.serial === frame.serial) this.inFlight = null;
      this.listener.swingFrame(frame);
      this.pump();
    }
  }
}
