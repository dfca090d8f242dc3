#pragma once

#include <string>

namespace ulm {

/// The text of the face cascade that OpenCV ships, built in so that nothing is searched for at run time.
const std::string& faceCascade();

} // namespace ulm
