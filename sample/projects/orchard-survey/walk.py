"""One walk through the orchard."""

import brixmeter.scale
import orchard_map

print(orchard_map.draw())
print(brixmeter.scale.bar(brixmeter.brix(1.3531)))
