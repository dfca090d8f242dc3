#pragma once

namespace ulm {

/// Threads that were given up while they were inside a library, and that nobody waits for: an encoder of 4K pictures
/// that is cancelled gives its frames back after seconds.
/// Whether one may be left behind: not beside another, for each may hold a gigabyte. Where true, it calls
/// leftBehindEnded() last of all.
bool mayLeaveBehind();
void leftBehindEnded();

/// What main() returns. Ends the process at once where such a thread still runs, so that it is neither waited for nor
/// goes on while the program is taken down.
int leave(int code);

} // namespace ulm
