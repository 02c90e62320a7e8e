// Interfaces that browsers have and that nothing here stands behind: there, so that scripts can look for them and ask whether something is
// one of them. Who makes an object of one hears that this cannot be done, and the result names the gap.

import { TypeError } from '../shared/primordials.js';
import { gap } from '../shared/gap.js';
import { lazyEach, publishPlainly } from '../shared/webidl.js';

const NAMES = `
  AnalyserNode Animation AnimationEffect AnimationPlaybackEvent AnimationTimeline AudioBuffer
  AudioBufferSourceNode AudioContext AudioData AudioDecoder AudioDestinationNode AudioEncoder AudioListener
  AudioNode AudioParam AudioParamMap AudioProcessingEvent AudioScheduledSourceNode BarProp BaseAudioContext
  BeforeInstallPromptEvent BiquadFilterNode BlobEvent CSSAnimation CSSConditionRule CSSContainerRule
  CSSCounterStyleRule CSSFontFaceRule CSSGroupingRule CSSImageValue CSSImportRule CSSKeyframeRule
  CSSKeyframesRule CSSKeywordValue CSSLayerBlockRule CSSLayerStatementRule CSSMathClamp CSSMathInvert
  CSSMathMax CSSMathMin CSSMathNegate CSSMathProduct CSSMathSum CSSMathValue CSSMatrixComponent CSSMediaRule
  CSSNamespaceRule CSSNumericArray CSSNumericValue CSSPageRule CSSPerspective CSSPositionValue CSSPropertyRule
  CSSRotate CSSScale CSSSkew CSSSkewX CSSSkewY CSSStyleValue CSSSupportsRule
  CSSTransformComponent CSSTransformValue CSSTransition CSSTranslate CSSUnitValue CSSUnparsedValue
  CSSVariableReferenceValue ChannelMergerNode
  ChannelSplitterNode ClipboardItem ConstantSourceNode ConvolverNode CryptoKey DOMMatrixReadOnly
  DOMQuad DataTransfer DataTransferItem DataTransferItemList DelayNode DocumentTimeline DynamicsCompressorNode
  EncodedAudioChunk EncodedVideoChunk FileSystemDirectoryHandle FileSystemFileHandle FileSystemHandle
  FileSystemWritableFileStream GainNode Gamepad GamepadButton GamepadEvent GamepadHapticActuator   GeolocationCoordinates GeolocationPosition GeolocationPositionError HTMLAllCollection IIRFilterNode
  ImageBitmapRenderingContext IntersectionObserverEntry KeyframeEffect MediaCapabilities MediaDeviceInfo
  MediaElementAudioSourceNode MediaEncryptedEvent MediaError MediaKeyMessageEvent MediaKeySession
  MediaKeyStatusMap MediaKeySystemAccess MediaKeys MediaList MediaMetadata MediaRecorder   MediaSource MediaStream MediaStreamAudioDestinationNode MediaStreamAudioSourceNode MediaStreamEvent
  MediaStreamTrack MediaStreamTrackEvent OfflineAudioCompletionEvent OfflineAudioContext
  OscillatorNode OverconstrainedError PannerNode PerformanceElementTiming
  PerformanceEventTiming PerformanceLongTaskTiming PerformanceNavigation
  PerformancePaintTiming PerformanceServerTiming PerformanceTiming
  PeriodicSyncManager PeriodicWave PictureInPictureEvent PictureInPictureWindow PushManager PushSubscription
  PushSubscriptionOptions RTCCertificate RTCDTMFSender RTCDTMFToneChangeEvent   RTCDataChannelEvent RTCDtlsTransport RTCEncodedAudioFrame RTCEncodedVideoFrame RTCError RTCErrorEvent
  RTCIceCandidate RTCIceTransport RTCPeerConnectionIceErrorEvent RTCPeerConnectionIceEvent
  RTCRtpReceiver RTCRtpSender RTCRtpTransceiver RTCSctpTransport RTCSessionDescription RTCStatsReport
  RTCTrackEvent RemotePlayback ResizeObserverEntry ResizeObserverSize SVGAngle SVGAnimatedAngle
  SVGAnimatedBoolean SVGAnimatedEnumeration SVGAnimatedInteger SVGAnimatedLengthList
  SVGAnimatedNumber SVGAnimatedNumberList SVGAnimatedPreserveAspectRatio SVGAnimatedString
  SVGLengthList SVGNumberList SVGPointList
  SVGPreserveAspectRatio SVGStringList SVGUnitTypes   ScriptProcessorNode SourceBuffer SourceBufferList StereoPannerNode
  StylePropertyMap StylePropertyMapReadOnly TextTrack TextTrackCue TextTrackCueList   TimeRanges Touch TouchList TrackEvent VTTCue VideoColorSpace VideoDecoder VideoEncoder
  VideoFrame VideoPlaybackQuality VisibilityStateEntry WakeLockSentinel WaveShaperNode
  WebGL2RenderingContext WebGLActiveInfo WebGLBuffer WebGLContextEvent WebGLFramebuffer WebGLObject
  WebGLProgram WebGLQuery WebGLRenderbuffer WebGLRenderingContext WebGLSampler WebGLShader
  WebGLShaderPrecisionFormat WebGLSync WebGLTexture WebGLTransformFeedback WebGLUniformLocation
  WebGLVertexArrayObject XSLTProcessor`;
lazyEach(NAMES.split(/\s+/).filter(Boolean), (name) => {
  const Absent = { [name]: class {
    constructor() {
      gap(name);
      throw new TypeError('Illegal constructor');
    }
  } }[name];
  publishPlainly(Absent);
});
