#pragma once

#include <cmath>

namespace ulm {

struct Point {
    double x = 0, y = 0;
};

/// A map of the plane that keeps straight lines straight: (x, y) → (a x + b y + c, d x + e y + f).
struct Affine {
    double a = 1, b = 0, c = 0, d = 0, e = 1, f = 0;

    static Affine moving(double x, double y) { return {1, 0, x, 0, 1, y}; }
    static Affine scaling(double x, double y) { return {x, 0, 0, 0, y, 0}; }
    /// Clockwise on a picture, whose y runs down, around the origin.
    static Affine turning(double degrees) {
        const double r = degrees * M_PI / 180, c = std::cos(r), s = std::sin(r);
        return {c, -s, 0, s, c, 0};
    }
    Point operator()(Point p) const { return {a * p.x + b * p.y + c, d * p.x + e * p.y + f}; }
    /// This one first, then `o`.
    Affine then(const Affine& o) const {
        return {o.a * a + o.b * d, o.a * b + o.b * e, o.a * c + o.b * f + o.c,
                o.d * a + o.e * d, o.d * b + o.e * e, o.d * c + o.e * f + o.f};
    }
    /// Not of a map that flattens the plane.
    Affine inverse() const {
        const double k = 1 / (a * e - b * d);
        return {e * k, -b * k, (b * f - c * e) * k, -d * k, a * k, (c * d - a * f) * k};
    }
};

} // namespace ulm
