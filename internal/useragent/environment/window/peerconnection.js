// WebRTC, 4.4: connections between pages, of which none comes about here. What a page draws seldom depends on it.

import { PromiseOf, arrayOf, rejected } from '../shared/primordials.js';
import { answersOtherwise, doubtful } from '../shared/gap.js';
import { lazy, publishLoosely } from '../shared/webidl.js';
import { EventTarget, handlers } from '../shared/event.js';
import { error } from './nodes.js';

lazy(['RTCPeerConnection', 'RTCDataChannel'], () => {
  const never = () => (answersOtherwise() ? rejected(error('OperationError', 'there is nobody to speak to')) : new PromiseOf(() => {}));
  class RTCDataChannel extends EventTarget {
    get readyState() {
      return 'connecting';
    }
    send() {
      throw error('InvalidStateError', 'the channel is not open');
    }
    close() {}
  }
  handlers(RTCDataChannel.prototype, 'open', 'message', 'error', 'close', 'closing', 'bufferedamountlow');
  class RTCPeerConnection extends EventTarget {
    constructor() {
      super();
      doubtful('a connection between pages (RTCPeerConnection)');
    }
    get connectionState() {
      return 'new';
    }
    get iceConnectionState() {
      return 'new';
    }
    get iceGatheringState() {
      return 'new';
    }
    get signalingState() {
      return 'stable';
    }
    get localDescription() {
      return null;
    }
    get remoteDescription() {
      return null;
    }
    createOffer() {
      return never();
    }
    createAnswer() {
      return never();
    }
    setLocalDescription() {
      return never();
    }
    setRemoteDescription() {
      return never();
    }
    addIceCandidate() {
      return never();
    }
    getStats() {
      return never();
    }
    createDataChannel() {
      return new RTCDataChannel();
    }
    getSenders() {
      return arrayOf();
    }
    getReceivers() {
      return arrayOf();
    }
    getTransceivers() {
      return arrayOf();
    }
    close() {}
  }
  handlers(RTCPeerConnection.prototype, 'connectionstatechange', 'datachannel', 'icecandidate', 'icecandidateerror', 'iceconnectionstatechange', 'icegatheringstatechange', 'negotiationneeded', 'signalingstatechange', 'track');
  publishLoosely(RTCDataChannel, RTCPeerConnection);
});
