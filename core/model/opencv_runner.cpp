#include "core/model/opencv_runner.h"

#include "core/base/error.h"
#include "core/model/onnx_file.h"

#include <cstring>
#include <map>
#include <mutex>
#include <opencv2/core.hpp>
#include <opencv2/core/utils/logger.hpp>
#include <opencv2/dnn.hpp>
#include <vector>

namespace ulm {
namespace {
constexpr std::size_t kMostSizes = 8;
}

struct OpencvRunner::Nets {
    std::vector<std::byte> bytes;
    std::mutex mutex;
    std::map<std::array<int, 3>, cv::dnn::Net> bySize;

    cv::Mat forward(const float* in, int channels, int rows, int columns) {
        const int shape[] = {1, channels, rows, columns};
        std::lock_guard lock(mutex);
        auto at = bySize.find({channels, rows, columns});
        if (at == bySize.end()) {
            if (bySize.size() >= kMostSizes) bySize.clear();
            const std::string sized = withInputSize(bytes, channels, rows, columns);
            cv::dnn::Net net = cv::dnn::readNetFromONNX(sized.data(), sized.size());
            net.setPreferableBackend(cv::dnn::DNN_BACKEND_OPENCV);
            at = bySize.emplace(std::array{channels, rows, columns}, net).first;
        }
        at->second.setInput(cv::Mat(4, shape, CV_32F, const_cast<float*>(in)));
        const cv::Mat out = at->second.forward();
        if (out.dims != 4 || out.type() != CV_32F || out.size[0] != 1 || !out.isContinuous())
            throw cv::Exception(cv::Error::StsError, "the result is no picture", "forward", __FILE__, __LINE__);
        return out.clone();
    }
};

OpencvRunner::OpencvRunner(std::span<const std::byte> bytes, const std::string& file, const std::string& unsupported,
                           int known)
    : nets_(std::make_unique<Nets>()), file_(file) {
    cv::utils::logging::setLogLevel(cv::utils::logging::LOG_LEVEL_SILENT);
    nets_->bytes.assign(bytes.begin(), bytes.end());
    std::string why;
    for (int channels : known ? std::vector{known} : std::vector{1, 3, 4}) { // a small picture finds out
        try {
            const std::vector<float> grey(static_cast<std::size_t>(channels) * 64 * 64, 0.5f);
            nets_->forward(grey.data(), channels, 64, 64);
            channels_ = channels;
            return;
        } catch (const std::exception& e) { // OpenCV's own, and whatever its reader lets through
            why = e.what();
        }
    }
    throw Error(Fault::Input, file,
                "the network cannot be used: " + unsupported + " (OpenCV: " + why.substr(0, 300) + ")",
                "Export it with simpler operators (docs/networks.md lists them), or choose another network.");
}

OpencvRunner::~OpencvRunner() = default;

NetSize OpencvRunner::sizeFor(int rows, int columns) const {
    const std::vector<float> grey(static_cast<std::size_t>(channels_) * rows * columns, 0.5f);
    const cv::Mat out = nets_->forward(grey.data(), channels_, rows, columns);
    return {out.size[1], out.size[2], out.size[3]};
}

void OpencvRunner::run(const float* in, int rows, int columns, float* out) const {
    try {
        const cv::Mat result = nets_->forward(in, channels_, rows, columns);
        std::memcpy(out, result.ptr<float>(), result.total() * sizeof(float));
    } catch (const cv::Exception& e) {
        throw Error(Fault::Input, file_,
                    "the network failed on a picture of " + std::to_string(columns) + "×" + std::to_string(rows) +
                        ": " + e.err,
                    "Choose another network.");
    }
}

} // namespace ulm
