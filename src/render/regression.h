// Smooths finished pictures where the artist asks for it: around each pixel the light of its neighbours is fitted by a
// linear function of what they show (albedo, normal, depth), each counting by how alike their surroundings look
// (Bitterli, Rousselle, Moon, Iglesias-Guitian, Adler, Mitchell, Jarosz, Novak 2016, "Nonlinearly Weighted First-order
// Regression for Denoising Monte Carlo Renderings"). Both halves of the samples are fitted, each with weights from the
// other one, so that either tells the error of the other: of two widths, and the picture as it is, the one with the
// least error stands in each pixel. Only light is touched, each group by itself; data passes are not.
#pragma once
#include "base/progress.h"
#include "render/film.h"

namespace vemtra::render {

/// Replaces the film's light, and says in it what came of it. `film`: settled, with halves (Film::keep_halves) and two
/// samples a pixel or more; pixels that have less stay, and say nothing to others. `gains`: of the light groups, as
/// Film::resolve; what is alike is judged by all together. False where it was stopped: the film is as it was.
/// Progress goes on `from` there to 1. `rows` of the picture are worked on at a time; 0: as many as a million pixels
/// have.
bool smooth_by_regression(Film& film, const std::vector<V3f>& gains, Progress* progress = nullptr, float from = 0.f,
                          int rows = 0);

}  // namespace vemtra::render
