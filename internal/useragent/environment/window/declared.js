// Members that browsers have and that nothing here stands behind: they are there, so that scripts find them, and a script that reads one is
// answered with nothing. Whether that matters is found out by a second run. A few have the value that a page without a screen sees.

import { defineProperty } from '../shared/primordials.js';
import { answersOtherwise, doubtful } from '../shared/gap.js';
import { attribute, expose, guard } from '../shared/webidl.js';
import { animated, classes } from './htmlelements.js';
import { getAttr, setAttr } from './nodes.js';

// Interfaces, each with the members that are only declared; as recorded of Chromium (internal/conformance/testdata/members.json).
const DECLARED = `
  CSSStyleRule: cssRules deleteRule insertRule styleMap
  Document: activeViewTransition ariaNotify browsingTopics exitPictureInPicture featurePolicy fragmentDirective hasPrivateToken
      hasRedemptionRecord hasUnpartitionedCookieAccess requestStorageAccess timeline
  Element: activeViewTransition ariaActionsElements ariaNotify computedStyleMap pseudo requestPointerLock setHTML
      startViewTransition webkitRequestFullScreen webkitRequestFullscreen
  File: lastModifiedDate webkitRelativePath
  FontFaceSet: entries keys
  HTMLAnchorElement: attributionSrc hrefTranslate interestForElement
  HTMLAreaElement: attributionSrc interestForElement
  HTMLButtonElement: interestForElement
  HTMLCanvasElement: transferControlToOffscreen
  HTMLElement: attributeStyleMap focusGroup focusGroupStart virtualKeyboardPolicy
  HTMLEmbedElement: getSVGDocument
  HTMLFrameElement: frameBorder longDesc marginHeight marginWidth noResize scrolling
  HTMLIFrameElement: adAuctionHeaders allowPaymentRequest browsingTopics credentialless csp featurePolicy marginHeight marginWidth
      privateToken
  HTMLImageElement: attributionSrc browsingTopics
  HTMLInputElement: createValueRange incremental webkitEntries webkitdirectory
  HTMLMarqueeElement: behavior bgColor direction height hspace loop scrollAmount scrollDelay start stop trueSpeed vspace width
  HTMLMediaElement: captureStream controlsList mediaKeys remote setMediaKeys setSinkId webkitAudioDecodedByteCount
      webkitVideoDecodedByteCount
  HTMLObjectElement: align archive border code codeBase codeType contentDocument contentWindow declare getSVGDocument hspace standby
      vspace
  HTMLScriptElement: attributionSrc innerText textContent
  HTMLTemplateElement: htmlFor shadowRootClonable shadowRootCustomElementRegistry shadowRootDelegatesFocus shadowRootMode
      shadowRootReferenceTarget shadowRootSerializable shadowRootSlotAssignment
  HTMLTextAreaElement: createValueRange
  HTMLTrackElement: readyState track
  HTMLVideoElement: cancelVideoFrameCallback disablePictureInPicture getVideoPlaybackQuality requestPictureInPicture
      requestVideoFrameCallback webkitDecodedFrameCount webkitDroppedFrameCount
  MathMLElement: attributeStyleMap dataset focusGroup nonce tabIndex
  Navigator: adAuctionComponents canLoadAdAuctionFencedFrame clearOriginJoinedAdInterestGroups cpuPerformance createAuctionNonce
      deprecatedReplaceInURN deprecatedRunAdAuctionEnforcesKAnonymity deprecatedURNToURL devicePosture getInstalledRelatedApps
      getInterestGroupAdAuctionData getUserMedia gpu hid ink joinAdInterestGroup keyboard leaveAdInterestGroup login managed
      mediaCapabilities presentation protectedAudience requestMediaKeySystemAccess runAdAuction scheduling serial storageBuckets
      updateAdInterestGroups usb virtualKeyboard webkitGetUserMedia webkitPersistentStorage webkitTemporaryStorage
      windowControlsOverlay xr
  PointerEvent: altitudeAngle azimuthAngle persistentDeviceId
  Range: expand
  SVGElement: attributeStyleMap focusGroup focusGroupStart
  SVGGeometryElement: isPointInFill isPointInStroke pathLength
  SVGGraphicsElement: farthestViewportElement nearestViewportElement requiredExtensions systemLanguage
  SVGSVGElement: animationsPaused checkEnclosure checkIntersection createSVGAngle currentScale currentTranslate deselectAll
      forceRedraw getCurrentTime getElementById getEnclosureList getIntersectionList pauseAnimations preserveAspectRatio
      setCurrentTime suspendRedraw unpauseAnimations unsuspendRedraw unsuspendRedrawAll zoomAndPan
  SVGTextContentElement: getCharNumAtPosition getComputedTextLength getEndPositionOfChar getExtentOfChar getNumberOfChars
      getRotationOfChar getStartPositionOfChar getSubStringLength lengthAdjust selectSubString textLength
  Selection: getComposedRanges
  ShadowRoot: elementsFromPoint fullscreenElement getAnimations getSelection pictureInPictureElement pointerLockElement
      referenceTarget setHTML
  UIEvent: pseudoTarget sourceCapabilities`;
const prototypeOf = (name) => classes[name]?.prototype ?? Object.getOwnPropertyDescriptor(global, name)?.value?.prototype;
const declare = (proto, of, name) => {
  if (!proto || name in proto) return;
  defineProperty(proto, name, Object.getOwnPropertyDescriptor({
    get [name]() {
      if (this === proto && proto !== global) return undefined;
      doubtful(`${of}.${name}`);
      return answersOtherwise() ? () => {} : undefined;
    },
    set [name](value) {
      defineProperty(this, name, { value, writable: true, enumerable: true, configurable: true });
    },
  }, name));
};
let of = '';
for (const word of DECLARED.split(/\s+/).filter(Boolean)) {
  if (word.endsWith(':')) of = word.slice(0, -1);
  else declare(prototypeOf(of), of, word);
}

// Values that are known.
const add = (name, members) => {
  const proto = prototypeOf(name);
  for (const key of Object.keys(members)) {
    if (Object.hasOwn(proto, key)) continue;
    const d = Object.getOwnPropertyDescriptor(members, key);
    defineProperty(proto, key, d.get || typeof d.value === 'function' ? { ...d, enumerable: true } : { ...attribute(key, () => d.value), enumerable: true });
    guard(proto, key, false);
  }
};
const reflected = (key, name) => Object.getOwnPropertyDescriptor({ get [key]() { return getAttr(this.body ?? this, name) ?? ''; }, set [key](v) { setAttr(this.body ?? this, name, `${v}`); } }, key);
add('Document', Object.defineProperties({
  xmlEncoding: null, xmlStandalone: false, xmlVersion: null, fullscreen: false, prerendering: false, wasDiscarded: false, webkitHidden: false, webkitVisibilityState: 'visible', webkitIsFullScreen: false,
  webkitFullscreenElement: null, webkitCurrentFullScreenElement: null, webkitFullscreenEnabled: false, rootElement: null, clear() {}, captureEvents() {}, releaseEvents() {}, async exitFullscreen() {}, exitPointerLock() {},
  webkitExitFullscreen() {}, webkitCancelFullScreen() {},
}, Object.fromEntries(Object.entries({ bgColor: 'bgcolor', fgColor: 'text', linkColor: 'link', alinkColor: 'alink', vlinkColor: 'vlink' }).map(([key, name]) => [key, { ...reflected(key, name), enumerable: true }]))));
add('Element', { currentCSSZoom: 1, scrollIntoViewIfNeeded() {}, get elementTiming() { return getAttr(this, 'elementtiming') ?? ''; }, set elementTiming(v) { setAttr(this, 'elementtiming', `${v}`); } });
add('HTMLElement', { autocorrect: true, writingSuggestions: 'true', editContext: null });
add('SVGElement', { get className() { return animated(this, 'class'); }, autofocus: false, nonce: '', tabIndex: -1 });
add('Selection', { get baseNode() { return this.anchorNode; }, get baseOffset() { return this.anchorOffset; }, get extentNode() { return this.focusNode; }, get extentOffset() { return this.focusOffset; } });
add('HTMLVideoElement', { videoWidth: 0, videoHeight: 0 });
add('MouseEvent', { get fromElement() { return this.type === 'mouseover' || this.type === 'mouseenter' ? this.relatedTarget : null; }, get toElement() { return this.target; } });
const streams = new WeakMap();
add('HTMLMediaElement', { get srcObject() { return streams.get(this) ?? null; }, set srcObject(stream) { streams.set(this, stream); }, get loading() { return getAttr(this, 'loading') === 'lazy' ? 'lazy' : 'eager'; }, set loading(v) { setAttr(this, 'loading', `${v}`); }, preservesPitch: true, sinkId: '', disableRemotePlayback: false });

expose('launchQueue', { setConsumer() {} });
for (const [old, name] of [['webkitURL', 'URL'], ['webkitRequestAnimationFrame', 'requestAnimationFrame'], ['webkitCancelAnimationFrame', 'cancelAnimationFrame']])
  defineProperty(global, old, { get: () => global[name], set: (value) => expose(old, value), configurable: true, enumerable: false });
for (const name of ['showOpenFilePicker', 'showSaveFilePicker', 'showDirectoryPicker', 'queryLocalFonts', 'getScreenDetails', 'documentPictureInPicture', 'speechSynthesis', 'chrome', 'external', 'styleMedia', 'fetchLater'])
  if (!(name in global)) declare(global, 'window', name);
