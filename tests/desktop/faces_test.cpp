// SPDX-License-Identifier: GPL-3.0-or-later
// Both faces by figures: what is written is read on whatever it stands on.
#include <gtest/gtest.h>

#include <cmath>

#include "desktop/style/palette.h"

namespace zt::desktop {
namespace {

/// Relative luminance and contrast as WCAG 2.1 defines them (w3.org/TR/WCAG21, "relative luminance").
double luminance(const QColor& c) {
  const auto part = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
  return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
}

double contrast(const QColor& a, const QColor& b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

TEST(Faces, TextIsReadOnEveryGround) {
  for (const Face* face : {&Face::light(), &Face::slate()}) {
    const std::pair<const char*, QColor> grounds[] = {
        {"paper", face->paper}, {"panel", face->panel}, {"free", face->free}, {"picked", face->picked}};
    const std::pair<const char*, QColor> inks[] = {
        {"ink", face->ink}, {"second ink", face->secondInk}, {"red", face->red}};
    for (const auto& [ground, on] : grounds)
      for (const auto& [ink, color] : inks)
        EXPECT_GE(contrast(color, on), 4.5) << ink << " on " << ground << (face->dark ? ", dark" : "");
    EXPECT_GE(contrast(face->paper, face->ink), 4.5) << "the main button";
  }
}

/// A picture's edges and marks, and the words that stand on its strata.
TEST(Faces, PicturesAreSeen) {
  for (const Face* face : {&Face::light(), &Face::slate()}) {
    for (const QColor& on : {face->paper, face->panel, face->free}) EXPECT_GE(contrast(face->line, on), 3.0);
    // A target's mark crosses free space.
    EXPECT_GE(contrast(face->red, face->free), 3.0);
  }
}

}  // namespace
}  // namespace zt::desktop
