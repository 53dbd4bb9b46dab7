// The stage where deliveries are made.

import { bench } from '../page/bench.js';
import { deliveries } from './deliveries.js';

export const DELIVERY = {
  key: 'delivery',
  word: 'Delivery',
  stores: { deliveries },
  unframed: () => true,
  entered() {
    bench.deliveries.loadJobs();
  },
};
