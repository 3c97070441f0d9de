// A record: plan against actual.

import { drawAll } from "../ui/chart.js";

drawAll();
