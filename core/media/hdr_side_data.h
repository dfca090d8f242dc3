#pragma once

#include "core/media/av.h"
#include "core/picture/hdr_data.h"

namespace ulm {

/// What a stream's header says of its mastering; nothing where it does not.
HdrData hdrDataOf(const AVStream&);
/// What a decoded picture carries of it.
HdrData hdrDataOf(const AVFrame&);
/// Puts it into a stream's header, before that is written.
void putHdrData(const HdrData&, AVStream&);

} // namespace ulm
