#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace onnx {
class ModelProto;
}

namespace ulm::test {

/// Builds small ONNX files for tests, step by step, without any of our own reading code.
class OnnxMaker {
public:
    /// The input "picture" has so many channels, of any size.
    explicit OnnxMaker(int channels, int opset = 13);
    ~OnnxMaker();
    OnnxMaker(const OnnxMaker&) = delete;

    /// A constant of floats, filled with numbers in [-scale, scale) that depend on its name; or with `values`.
    std::string numbers(const std::string& name, const std::vector<std::int64_t>& shape, float scale = 0.3f);
    std::string numbers(const std::string& name, const std::vector<std::int64_t>& shape,
                        const std::vector<float>& values);
    std::string whole(const std::string& name, const std::vector<std::int64_t>& values);

    using Ints = std::vector<std::pair<std::string, std::vector<std::int64_t>>>;
    /// Adds a step; attributes of one value are written as INT, of more as INTS. Returns the output's name.
    std::string step(const std::string& op, const std::vector<std::string>& in, const Ints& ints = {},
                     const std::vector<std::pair<std::string, float>>& floats = {},
                     const std::vector<std::pair<std::string, std::string>>& texts = {}, const std::string& out = "");
    /// A 3×3 convolution that keeps the size.
    std::string conv(const std::string& in, int from, int to, const std::string& name);
    void note(const std::string& key, const std::string& text);
    onnx::ModelProto& model() { return *model_; }

    /// The file's bytes, with `result` as its output.
    std::string bytes(const std::string& result) const;

private:
    std::unique_ptr<onnx::ModelProto> model_;
    int count_ = 0;
};

} // namespace ulm::test
