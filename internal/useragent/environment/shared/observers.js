// Performance Timeline and Reporting API: nothing is ever reported.

import { freeze } from './primordials.js';
import { lazy, publishLoosely } from './webidl.js';

lazy(['PerformanceObserver', 'ReportingObserver'], () => {
  class PerformanceObserver {
    static supportedEntryTypes = freeze([]);
    observe() {}
    disconnect() {}
    takeRecords() {
      return [];
    }
  }
  class ReportingObserver extends PerformanceObserver {}
  publishLoosely(PerformanceObserver, ReportingObserver);
});
