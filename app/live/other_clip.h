#pragma once

#include "app/project/project.h"

namespace ulm::app {

/// Notices that another clip became current, or that its file is another one, or cannot be read any more. Models ask
/// first of all, and then forget what they show of the one before.
class OtherClip {
public:
    /// True once after every change.
    bool is(const Project& project) {
        const ClipEntry* c = project.currentClip();
        const QString now = !c ? QString() : c->clip ? c->identity() : c->path;
        return std::exchange(path_, now) != now;
    }

private:
    QString path_;
};

} // namespace ulm::app
