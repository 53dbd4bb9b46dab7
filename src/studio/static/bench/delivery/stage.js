// The stage where deliveries are made.

import { bench } from '../page/bench.js';
import { deliveries } from './deliveries.js';
import { lists } from './lists.js';

export const DELIVERY = {
  key: 'delivery',
  word: 'Delivery',
  stores: { deliveries, lists },
  unframed: () => true,
  entered() {
    bench.deliveries.loadJobs();
    bench.lists.load();
  },
};
