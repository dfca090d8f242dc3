#pragma once

#include <string>
#include <vector>

namespace ulm {

/// True for an ending that video files bear: ".mp4", ".MOV" …
bool hasClipEnding(const std::string& path);
/// `paths`, with each folder replaced by the clips in it, by name; not those of folders inside. Errors: Fault::Input
/// for a folder that holds none or cannot be read.
std::vector<std::string> withFoldersOpened(const std::vector<std::string>& paths);

} // namespace ulm
