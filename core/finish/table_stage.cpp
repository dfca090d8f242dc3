#include "core/finish/table_stage.h"

#include "core/base/error.h"
#include "core/base/file_state.h"
#include "core/finish/colour_grid.h"
#include "core/finish/pixel_stage.h"
#include "core/picture/colour.h"

#include <OpenColorIO/OpenColorIO.h>
#include <filesystem>
#include <fstream>
#include <map>
#include <mutex>
#include <optional>
#include <vector>

namespace ulm {
namespace ocio = OCIO_NAMESPACE;

class LookTable {
public:
    LookTable(ocio::ConstCPUProcessorRcPtr p, std::string id, std::optional<ColourGrid> g)
        : processor(std::move(p)), identity(std::move(id)), grid(std::move(g)) {}
    ocio::ConstCPUProcessorRcPtr processor;
    std::string identity;           ///< of what it does, not of the file
    std::optional<ColourGrid> grid; ///< does the same, several times as fast; where there is nothing but one

    /// The grid's cells of luma, made once for all who go by this table; null where there is no grid, or too large a
    /// one.
    using Cells = std::shared_ptr<const std::vector<ColourGrid::LumaCell>>;
    Cells lumaCells(int matrix) const {
        constexpr int kMostSide = 65; // 18 MB of cells
        if (!grid || grid->side > kMostSide) return nullptr;
        const std::lock_guard lock(making_);
        Cells& cells = cells_[matrix];
        if (!cells) cells = std::make_shared<const Cells::element_type>(grid->lumaCells(matrixWeights(matrix)));
        return cells;
    }

private:
    mutable std::mutex making_;
    mutable std::map<int, Cells> cells_; ///< by matrix
};

namespace {

constexpr std::uintmax_t kMostBytes = 64 << 20;
constexpr std::size_t kMostKept = 16;

struct Kept {
    std::string path;
    FileState state;
    LookTablePtr table;
};
std::mutex mutex;
std::vector<Kept> kept; // the last few, newest at the end

// Call with the mutex held. Null where it was not read, or has changed since.
LookTablePtr keptFor(const std::string& path) {
    const FileState now = FileState::of(path);
    if (!now.isThere()) return nullptr;
    for (const Kept& k : kept)
        if (k.path == path && k.state == now) return k.table;
    return nullptr;
}

Error bad(const std::string& path, const std::string& why) {
    return Error(Fault::Input, path, why, "Choose a .cube file with a table of one or three dimensions.");
}

// One table of three dimensions, and before it at most the colours that its first and last entries stand for.
std::optional<ColourGrid> gridOf(const ocio::Processor& processor) {
    const auto steps = processor.createGroupTransform();
    std::array<float, 3> low = {0, 0, 0}, high = {1, 1, 1};
    const int count = steps->getNumTransforms();
    if (count < 1 || count > 2) return std::nullopt;
    if (count == 2) {
        const auto range = ocio::DynamicPtrCast<ocio::MatrixTransform>(steps->getTransform(0));
        if (!range || range->getDirection() != ocio::TRANSFORM_DIR_FORWARD) return std::nullopt;
        double m[16], offset[4];
        range->getMatrix(m), range->getOffset(offset);
        for (std::size_t k = 0; k < 16; ++k)
            if (k % 5 ? m[k] != 0 : !(m[k] > 0)) return std::nullopt;
        for (std::size_t c = 0; c < 3; ++c)
            low[c] = float(-offset[c] / m[5 * c]), high[c] = float(low[c] + 1 / m[5 * c]);
    }
    const auto table = ocio::DynamicPtrCast<ocio::Lut3DTransform>(steps->getTransform(count - 1));
    if (!table || table->getDirection() != ocio::TRANSFORM_DIR_FORWARD) return std::nullopt;
    const auto side = int(table->getGridSize());
    if (side < 2) return std::nullopt;
    std::vector<float> entries;
    entries.reserve(3 * std::size_t(side) * std::size_t(side) * std::size_t(side));
    for (int b = 0; b < side; ++b)
        for (int g = 0; g < side; ++g)
            for (int r = 0; r < side; ++r) {
                float v[3];
                table->getValue(unsigned(r), unsigned(g), unsigned(b), v[0], v[1], v[2]);
                entries.insert(entries.end(), v, v + 3);
            }
    return ColourGrid(side, entries, low, high);
}

LookTablePtr read(const std::string& path) {
    try {
        ocio::SetLoggingLevel(ocio::LOGGING_LEVEL_NONE); // of a table of one dimension it warns
        ocio::ClearAllCaches();                          // it keeps files by name, whatever became of them
        const auto transform = ocio::FileTransform::Create();
        transform->setSrc(std::filesystem::absolute(path).c_str());
        transform->setInterpolation(ocio::INTERP_TETRAHEDRAL);
        const auto processor = ocio::Config::CreateRaw()->getProcessor(transform);
        const auto cpu = processor->getOptimizedCPUProcessor(ocio::OPTIMIZATION_LOSSLESS);
        return std::make_shared<LookTable>(cpu, cpu->getCacheID(), gridOf(*processor));
    } catch (const ocio::Exception&) {
        throw bad(path, "it is not a look-up table that can be read");
    }
}

class ThroughTable : public PixelMap {
public:
    ThroughTable(LookTablePtr table, double strength, int matrix)
        : table_(std::move(table)), strength_(float(strength)), weights_(matrixWeights(matrix)),
          cells_(table_->lumaCells(matrix)) {}
    void map(float* y, float* cb, float* cr, int count, Asked asked, const Line&) const override {
        if (cells_ && asked == Asked::Luma)
            return table_->grid->mapLuma(*cells_, weights_, strength_, y, cb, cr, count);
        if (table_->grid) return table_->grid->map(weights_, strength_, y, cb, cr, count);
        const float kr = float(weights_.kr), kb = float(weights_.kb), kg = 1 - kr - kb;
        const float ofCr = 2 * (1 - kr), ofCb = 2 * (1 - kb);
        std::vector<float> rgb(3 * std::size_t(count));
        float* p = rgb.data();
        for (int i = 0; i < count; ++i, p += 3) {
            p[0] = y[i] + ofCr * cr[i];
            p[2] = y[i] + ofCb * cb[i];
            p[1] = (y[i] - kr * p[0] - kb * p[2]) / kg;
        }
        ocio::PackedImageDesc row(rgb.data(), count, 1, 3);
        table_->processor->apply(row);
        p = rgb.data();
        for (int i = 0; i < count; ++i, p += 3) {
            // A table may hold anything, numbers that are none too: those become black.
            for (int c = 0; c < 3; ++c) p[c] = p[c] > -0.25f ? (p[c] < 1.5f ? p[c] : 1.5f) : -0.25f;
            const float luma = kr * p[0] + kg * p[1] + kb * p[2];
            y[i] += strength_ * (luma - y[i]);
            cb[i] += strength_ * ((p[2] - luma) / ofCb - cb[i]);
            cr[i] += strength_ * ((p[0] - luma) / ofCr - cr[i]);
        }
    }

private:
    LookTablePtr table_;
    float strength_;
    MatrixWeights weights_;
    LookTable::Cells cells_;
};

} // namespace

LookTablePtr readLookTable(const std::string& path) {
    namespace fs = std::filesystem;
    std::error_code failed;
    if (!fs::is_regular_file(path, failed)) throw bad(path, "there is no such file");
    const auto bytes = fs::file_size(path, failed);
    if (failed || bytes == 0 || bytes > kMostBytes) throw bad(path, bytes ? "it is too large" : "it is empty");
    if (!std::ifstream(path).good()) throw bad(path, "it cannot be read: no permission");
    return read(path);
}

// Nobody who asks whether a table is kept waits while another is read.
LookTablePtr loadLookTable(const std::string& path) {
    {
        const std::lock_guard lock(mutex);
        if (const LookTablePtr known = keptFor(path)) return known;
    }
    const FileState state = FileState::of(path); // as it was before it was read
    const LookTablePtr table = readLookTable(path);
    const std::lock_guard lock(mutex);
    std::erase_if(kept, [&](const Kept& k) { return k.path == path; });
    if (kept.size() == kMostKept) kept.erase(kept.begin());
    kept.push_back({path, state, table});
    return table;
}

bool lookTableIsKept(const std::string& path) {
    const std::lock_guard lock(mutex);
    return keptFor(path) != nullptr;
}

StagePtr throughTable(StagePtr input, const LookTablePtr& table, double strength) {
    if (!(strength > 0)) return input;
    const PictureFormat& f = input->format();
    return pixelStage(input, "table", KeyMaker("table").add(table->identity).add(strength),
                      std::make_shared<ThroughTable>(table, strength, f.colour.matrix), f);
}

} // namespace ulm
