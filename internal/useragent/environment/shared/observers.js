// Reporting API: nothing is ever reported.

import { lazy, publishLoosely } from './webidl.js';

lazy(['ReportingObserver'], () => {
  class ReportingObserver {
    observe() {}
    disconnect() {}
    takeRecords() {
      return [];
    }
  }
  publishLoosely(ReportingObserver);
});
