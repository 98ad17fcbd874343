// Surveys kept between sessions, beside the project, found again by what they measured.

#pragma once

#include <filesystem>

#include "survey/survey.h"

namespace flentro {

/// What a survey depends on: the scene's content, the target, the settings and where it stands.
/// `where`: whatever else chose the spots, in a text that is equal when they are.
[[nodiscard]] Hash surveyKey(const Scene& scene, const Target& target,
                             const SurveySettings& settings, const std::string& where);

/// CBOR (RFC 8949); a cache, not an exchange format: another machine need not read it.
/// Atomic. Errors: Io.
[[nodiscard]] Expected<void> saveSurvey(const Survey& survey, const Hash& key,
                                        const std::filesystem::path& path);

/// Nothing when the file is missing, damaged, or of another key: then it is surveyed anew.
/// `scene` and `target` are those of the key. Cost: that of reading the file.
[[nodiscard]] std::optional<Survey> loadSurvey(const std::filesystem::path& path, const Hash& key,
                                               const Scene& scene, const Target& target);

}  // namespace flentro
