from shapely.geometry import Point
from shapely import wkt, ops
print(round(Point(0, 0).buffer(1).area, 3), wkt.loads('POINT (1 2)').x, ops.unary_union([Point(0, 0).buffer(1), Point(1, 0).buffer(1)]).geom_type)
