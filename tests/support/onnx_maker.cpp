#include "tests/support/onnx_maker.h"

#include <functional>
#include <random>

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wpedantic"
#pragma GCC diagnostic ignored "-Wunused-parameter"
#include <onnx/onnx_pb.h>
#pragma GCC diagnostic pop

namespace ulm::test {

OnnxMaker::OnnxMaker(int channels, int opset) : model_(std::make_unique<onnx::ModelProto>()) {
    model_->set_ir_version(7);
    model_->add_opset_import()->set_version(opset);
    auto* graph = model_->mutable_graph();
    graph->set_name("test");
    auto* in = graph->add_input();
    in->set_name("picture");
    auto* type = in->mutable_type()->mutable_tensor_type();
    type->set_elem_type(onnx::TensorProto::FLOAT);
    type->mutable_shape()->add_dim()->set_dim_value(1);
    type->mutable_shape()->add_dim()->set_dim_value(channels);
    type->mutable_shape()->add_dim()->set_dim_param("rows");
    type->mutable_shape()->add_dim()->set_dim_param("columns");
}

OnnxMaker::~OnnxMaker() = default;

std::string OnnxMaker::numbers(const std::string& name, const std::vector<std::int64_t>& shape, float scale) {
    std::int64_t count = 1;
    for (auto d : shape) count *= d;
    std::mt19937 random(static_cast<unsigned>(std::hash<std::string>()(name)));
    std::uniform_real_distribution<float> d(-scale, scale);
    std::vector<float> values;
    for (std::int64_t k = 0; k < count; ++k) values.push_back(d(random));
    return numbers(name, shape, values);
}

std::string OnnxMaker::numbers(const std::string& name, const std::vector<std::int64_t>& shape,
                               const std::vector<float>& values) {
    auto* t = model_->mutable_graph()->add_initializer();
    t->set_name(name);
    t->set_data_type(onnx::TensorProto::FLOAT);
    for (auto d : shape) t->add_dims(d);
    t->set_raw_data(values.data(), values.size() * sizeof(float));
    return name;
}

std::string OnnxMaker::whole(const std::string& name, const std::vector<std::int64_t>& values) {
    auto* t = model_->mutable_graph()->add_initializer();
    t->set_name(name);
    t->set_data_type(onnx::TensorProto::INT64);
    t->add_dims(static_cast<std::int64_t>(values.size()));
    t->set_raw_data(values.data(), values.size() * sizeof(std::int64_t));
    return name;
}

std::string OnnxMaker::step(const std::string& op, const std::vector<std::string>& in, const Ints& ints,
                            const std::vector<std::pair<std::string, float>>& floats,
                            const std::vector<std::pair<std::string, std::string>>& texts, const std::string& out) {
    auto* n = model_->mutable_graph()->add_node();
    n->set_op_type(op);
    n->set_name(op + std::to_string(++count_));
    for (const auto& i : in) n->add_input(i);
    n->add_output(out.empty() ? "v" + std::to_string(count_) : out);
    for (const auto& [name, values] : ints) {
        auto* a = n->add_attribute();
        a->set_name(name);
        const bool one = values.size() == 1 && name != "axes" && name != "split" && name != "starts" && name != "ends";
        a->set_type(one ? onnx::AttributeProto::INT : onnx::AttributeProto::INTS);
        if (one)
            a->set_i(values[0]);
        else
            for (auto v : values) a->add_ints(v);
    }
    for (const auto& [name, v] : floats) {
        auto* a = n->add_attribute();
        a->set_name(name);
        a->set_type(onnx::AttributeProto::FLOAT);
        a->set_f(v);
    }
    for (const auto& [name, v] : texts) {
        auto* a = n->add_attribute();
        a->set_name(name);
        a->set_type(onnx::AttributeProto::STRING);
        a->set_s(v);
    }
    return n->output(0);
}

std::string OnnxMaker::conv(const std::string& in, int from, int to, const std::string& name) {
    return step("Conv", {in, numbers(name, {to, from, 3, 3}), numbers(name + "b", {to})},
                {{"pads", {1, 1, 1, 1}}, {"kernel_shape", {3, 3}}});
}

void OnnxMaker::note(const std::string& key, const std::string& text) {
    auto* n = model_->add_metadata_props();
    n->set_key(key);
    n->set_value(text);
}

std::string OnnxMaker::bytes(const std::string& result) const {
    onnx::ModelProto copy = *model_;
    auto* out = copy.mutable_graph()->add_output();
    out->set_name(result);
    out->mutable_type()->mutable_tensor_type()->set_elem_type(onnx::TensorProto::FLOAT);
    return copy.SerializeAsString();
}

} // namespace ulm::test
