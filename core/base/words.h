#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ulm {

/// The word of `known` that `word` was probably meant to be: at most a third of its letters were missed, added,
/// exchanged or swapped (Damerau 1964). Else the only one whose last part, after a dot, is that of `word`. Empty where
/// none comes near.
std::string nearWord(const std::string& word, const std::vector<std::string>& known);
/// " Did you mean X?", or empty.
std::string didYouMean(const std::string& word, const std::vector<std::string>& known);

/// With a capital letter in front.
std::string capitalised(std::string text);

/// A number in front of `text` up to `end` (0: its end), both taken off it; none where there is none, or no finite one.
std::optional<double> takeNumber(std::string_view& text, char end);

/// "a, b, c".
std::string listed(const std::vector<std::string>&);

/// Seconds of "2.5", "0:02.5" or "1:00:02.5"; none where it is no time, or below zero.
std::optional<double> parseTime(const std::string& text);
/// Both ends of "FROM-TO", times as parseTime() takes them, up to 1e6; none where it is none of that form. TO may lie
/// before FROM.
std::optional<std::pair<double, double>> parseSpan(const std::string& text);

} // namespace ulm
