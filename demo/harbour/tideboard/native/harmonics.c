/* Tide heights as a sum of harmonic constituents. Opened by tideboard/native/__init__.py with ctypes. */
#ifdef __APPLE__
double cos(double); /* where no headers of that system are at hand */
#else
#include <math.h>
#endif

/* The height above chart datum in metres, `hours` after the epoch: the mean level and, for each of `count`
 * constituents, amplitude (m) * cos(speed (degrees an hour) * hours - phase (degrees)). */
double tide_height(double mean, const double *amplitude, const double *speed, const double *phase, int count,
                   double hours) {
    const double radians = 3.14159265358979323846 / 180.0;
    double height = mean;
    for (int i = 0; i < count; ++i) height += amplitude[i] * cos((speed[i] * hours - phase[i]) * radians);
    return height;
}
