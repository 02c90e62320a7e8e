// A window's global object, and the commands by which the browser loads its document and runs its scripts.

import '../shared/interfaces.js';
import './node.js';
import './element.js';
import './document.js';
import './htmlelements.js';
import './forms.js';
import './parsing.js';
import './styles.js';
import './renderedtext.js';
import './customelements.js';
import './ranges.js';
import './mutationobserver.js';
import './uievents.js';
import './eventpath.js';
import './elementreferences.js';
import './popovers.js';
import './navigation.js';
import './frames.js';
import './writing.js';
import './webstorage.js';
import './serviceworkercontainer.js';
import '../shared/objecturls.js';
import '../shared/xhr.js';
import '../shared/dedicatedworker.js';
import './sharedworker.js';
import '../shared/dynamicimport.js';
import './observers.js';
import './geometry.js';
import './fontfaces.js';
import './notification.js';
import './absentinterfaces.js';
import './navigator.js';
import './globalscope.js';
import './loading.js';
import './person.js';

export { dispatch } from '../shared/dispatch.js';
