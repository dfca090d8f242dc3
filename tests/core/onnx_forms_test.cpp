// Which forms of ONNX's operators are read, and what is said of those that are not.
#include "core/base/error.h"
#include "core/model/network.h"
#include "core/model/onnx_file.h"
#include "core/model/plain_ops.h"
#include "tests/support/onnx_maker.h"

#include <catch2/catch.hpp>
#include <functional>
#include <limits>
#include <numeric>
#include <onnx/onnx_pb.h>

using namespace ulm;
using test::OnnxMaker;

namespace {

std::span<const std::byte> asBytes(const std::string& s) { return std::as_bytes(std::span(s.data(), s.size())); }

using Build = std::function<std::string(OnnxMaker&)>; // adds steps; returns the result's name

std::string file(int channels, const Build& build, int opset = 13) {
    OnnxMaker m(channels, opset);
    const std::string result = build(m);
    return m.bytes(result);
}

// What reading says of a file: a refusal's reason, "not ours: …" where OpenCV is to try, or nothing.
std::string said(const std::string& bytes) {
    try {
        readOnnx(asBytes(bytes), "net.onnx");
    } catch (const Error& e) {
        CHECK(e.file == "net.onnx");
        CHECK_FALSE(e.remedy.empty());
        return e.reason;
    } catch (const UnsupportedNet& e) {
        return std::string("not ours: ") + e.what();
    }
    return "";
}

// Runs it on rows × columns of 0, 1, 2, … in every channel.
std::vector<float> ran(const std::string& bytes, int channels, int rows, int columns) {
    std::vector<float> in(static_cast<std::size_t>(channels) * rows * columns);
    std::iota(in.begin(), in.end(), 0.f);
    return runPlain(readOnnx(asBytes(bytes), "net.onnx"), in, rows, columns, "net.onnx");
}

onnx::AttributeProto* attribute(OnnxMaker& m, const char* name, onnx::AttributeProto::AttributeType type) {
    auto& nodes = *m.model().mutable_graph()->mutable_node();
    auto* a = nodes[nodes.size() - 1].add_attribute();
    a->set_name(name);
    a->set_type(type);
    return a;
}

} // namespace

TEST_CASE("older forms of operators, which keep in attributes what newer ones take as inputs, are read alike") {
    const std::string slice = file(
        3,
        [](OnnxMaker& m) {
            return m.step("Slice", {"picture"}, {{"axes", {1}}, {"starts", {1}}, {"ends", {3}}});
        },
        9);
    const auto two = ran(slice, 3, 2, 2);
    CHECK(two == std::vector<float>{4, 5, 6, 7, 8, 9, 10, 11});
    const std::string backwards = file(3, [](OnnxMaker& m) {
        return m.step("Slice", {"picture", m.whole("s", {-1}), m.whole("e", {std::numeric_limits<std::int64_t>::max()}),
                                m.whole("x", {1}), m.whole("by", {1})});
    });
    CHECK(ran(backwards, 3, 2, 2) == std::vector<float>{8, 9, 10, 11});

    const std::string clip = file(
        1,
        [](OnnxMaker& m) {
            return m.step("Clip", {"picture"}, {}, {{"min", 1.f}, {"max", 2.f}});
        },
        6);
    const std::string clip11 = file(1, [](OnnxMaker& m) {
        return m.step("Clip",
                      {"picture", m.numbers("low", {}, std::vector{1.f}), m.numbers("high", {}, std::vector{2.f})});
    });
    const std::string above = file(1, [](OnnxMaker& m) {
        return m.step("Clip", {"picture", "", m.numbers("high", {}, std::vector{2.f})});
    });
    CHECK(ran(clip, 1, 2, 2) == std::vector<float>{1, 1, 2, 2});
    CHECK(ran(clip11, 1, 2, 2) == ran(clip, 1, 2, 2));
    CHECK(ran(above, 1, 2, 2) == std::vector<float>{0, 1, 2, 2});

    const std::string upsample = file(
        1,
        [](OnnxMaker& m) {
            return m.step("Upsample", {"picture", m.numbers("f", {4}, std::vector{1.f, 1.f, 2.f, 2.f})}, {}, {},
                          {{"mode", "nearest"}});
        },
        9);
    CHECK(ran(upsample, 1, 1, 2) == std::vector<float>{0, 0, 1, 1, 0, 0, 1, 1});
    const std::string upsample7 = file(
        1,
        [](OnnxMaker& m) {
            const auto out = m.step("Upsample", {"picture"}, {}, {}, {{"mode", "nearest"}});
            auto* scales = attribute(m, "scales", onnx::AttributeProto::FLOATS);
            for (float f : {1.f, 1.f, 2.f, 2.f}) scales->add_floats(f);
            return out;
        },
        7);
    CHECK(ran(upsample7, 1, 1, 2) == ran(upsample, 1, 1, 2));

    const std::string pad = file(
        1,
        [](OnnxMaker& m) {
            return m.step("Pad", {"picture"}, {{"pads", {0, 0, 1, 0, 0, 0, 0, 1}}});
        },
        2);
    CHECK(ran(pad, 1, 1, 2) == std::vector<float>{0, 0, 0, 0, 1, 0});

    const std::string split = file(4, [](OnnxMaker& m) { // uneven ones are named, even ones follow from their number
        m.step("Split", {"picture"}, {{"axis", {1}}}, {}, {}, "left");
        m.model().mutable_graph()->mutable_node(0)->add_output("right");
        return m.step("Sub", {"right", "left"});
    });
    CHECK(ran(split, 4, 1, 1) == std::vector<float>{2, 2});
}

TEST_CASE("constants are read in each of their kinds, as themselves, through Identity, and folded together") {
    const auto plus = [](const std::function<void(OnnxMaker&)>& constant) {
        return ran(file(1,
                        [&](OnnxMaker& m) {
                            m.step("Constant", {}, {}, {}, {}, "k");
                            constant(m);
                            return m.step("Add", {"picture", "k"});
                        }),
                   1, 1, 2);
    };
    using A = onnx::AttributeProto;
    const std::vector<float> expected{2.5f, 3.5f};
    CHECK(plus([](OnnxMaker& m) { attribute(m, "value_float", A::FLOAT)->set_f(2.5f); }) == expected);
    CHECK(plus([](OnnxMaker& m) { attribute(m, "value_floats", A::FLOATS)->add_floats(2.5f); }) == expected);
    CHECK(plus([](OnnxMaker& m) {
              auto* t = attribute(m, "value", A::TENSOR)->mutable_t();
              t->set_data_type(onnx::TensorProto::FLOAT);
              t->add_dims(1);
              t->add_float_data(2.5f);
          }) == expected);
    for (const bool raw : {false, true}) { // 16-bit floats, and a Cast that widens them
        const std::string halves = file(1, [&](OnnxMaker& m) {
            m.step("Constant", {}, {}, {}, {}, "h");
            auto* t = attribute(m, "value", A::TENSOR)->mutable_t();
            t->set_data_type(onnx::TensorProto::FLOAT16);
            t->add_dims(1);
            if (raw)
                t->set_raw_data(std::string("\x00\x41", 2)); // 2.5
            else
                t->add_int32_data(0x4100);
            return m.step("Add", {"picture", m.step("Cast", {"h"}, {{"to", {onnx::TensorProto::FLOAT}}})});
        });
        CHECK(ran(halves, 1, 1, 2) == expected);
    }
    const std::string cutShort = file(1, [](OnnxMaker& m) {
        m.step("Constant", {}, {}, {}, {}, "h");
        auto* t = attribute(m, "value", A::TENSOR)->mutable_t();
        t->set_data_type(onnx::TensorProto::FLOAT16);
        t->add_dims(1000000);
        t->set_raw_data("ab");
        return m.step("Add", {"picture", "h"});
    });
    CHECK(said(cutShort).find("cut short") != std::string::npos);
    CHECK(said(file(1, [](OnnxMaker& m) {
              return m.step("Cast", {"picture"}, {{"to", {onnx::TensorProto::INT64}}});
          })).starts_with("not ours"));
    const auto folded = [](const char* op) {
        return ran(file(1,
                        [&](OnnxMaker& m) {
                            const auto a = m.numbers("a", {1}, std::vector{6.f}),
                                       b = m.step("Identity", {m.numbers("b", {1}, std::vector{2.f})});
                            return m.step("Add", {"picture", m.step(op, {a, b})});
                        }),
                   1, 1, 1)[0];
    };
    CHECK(folded("Add") == 8);
    CHECK(folded("Sub") == 4);
    CHECK(folded("Mul") == 12);
    // Whole numbers as attributes and as a tensor's own list.
    const std::string ints = file(2, [](OnnxMaker& m) {
        m.step("Constant", {}, {}, {}, {}, "s");
        attribute(m, "value_ints", A::INTS)->add_ints(1);
        m.step("Constant", {}, {}, {}, {}, "e");
        auto* t = attribute(m, "value", A::TENSOR)->mutable_t();
        t->set_data_type(onnx::TensorProto::INT64);
        t->add_dims(1);
        t->add_int64_data(2);
        m.step("Constant", {}, {}, {}, {}, "x");
        attribute(m, "value_int", A::INT)->set_i(1);
        return m.step("Slice", {"picture", "s", "e", "x"});
    });
    CHECK(ran(ints, 2, 1, 1) == std::vector<float>{1});
}

TEST_CASE("a convolution pads as its file says: by numbers, to the same size, or not at all") {
    const auto sized = [](const std::string& pad, std::vector<float> kernel, std::int64_t side) {
        return file(1, [&](OnnxMaker& m) {
            return m.step("Conv", {"picture", m.numbers("w", {1, 1, side, side}, kernel)},
                          {{"kernel_shape", {side, side}}}, {}, {{"auto_pad", pad}});
        });
    };
    const std::vector<float> middle{0, 0, 0, 0, 1, 0, 0, 0, 0};
    CHECK(ran(sized("SAME_UPPER", middle, 3), 1, 3, 3) == std::vector<float>{0, 1, 2, 3, 4, 5, 6, 7, 8});
    CHECK(ran(sized("VALID", middle, 3), 1, 3, 3) == std::vector<float>{4});
    // A side of even length has no middle: the file says on which side the odd sample lies.
    const std::vector<float> first{1, 0, 0, 0};
    CHECK(ran(sized("SAME_UPPER", first, 2), 1, 2, 2) == std::vector<float>{0, 1, 2, 3});
    CHECK(ran(sized("SAME_LOWER", first, 2), 1, 2, 2) == std::vector<float>{0, 0, 0, 0});
    // Without padding the result is smaller. It is laid where its pixels came from, so that a frame keeps its size.
    const auto net = Network::fromBytes(asBytes(sized("VALID", middle, 3)), "n");
    REQUIRE(net->isFast());
    CHECK(net->scale() == 1);
    std::vector<float> in(64), out(64, -1);
    std::iota(in.begin(), in.end(), 1.f);
    net->run(in.data(), 8, 8, out.data());
    for (int y = 1; y < 7; ++y)
        for (int x = 1; x < 7; ++x) CHECK(out[std::size_t(y * 8 + x)] == in[std::size_t(y * 8 + x)]);
}

TEST_CASE("every misuse of an operator is refused in words that name it, or left to OpenCV") {
    struct Misuse {
        const char* said;
        int channels;
        Build build;
    };
    const auto four = [](OnnxMaker& m, const char* name, std::vector<float> v) { return m.numbers(name, {4}, v); };
    const std::vector<Misuse> all = {
        {"groups do not divide channels in Conv", 3,
         [](OnnxMaker& m) {
             return m.step("Conv", {"picture", m.numbers("w", {4, 1, 1, 1})}, {{"group", {2}}});
         }},
        {"absurd kernel in Conv", 1,
         [](OnnxMaker& m) {
             return m.step("Conv", {"picture", m.numbers("w", {1, 1, 129, 1})});
         }},
        {"absurd weights in Conv", 1,
         [](OnnxMaker& m) {
             return m.step("Conv", {"picture", m.numbers("w", {9000, 1, 1, 1})});
         }},
        {"not ours: weights that are no constant", 1,
         [](OnnxMaker& m) {
             return m.step("Conv", {"picture", "picture"});
         }},
        {"not ours: weights that are not four-dimensional", 1,
         [](OnnxMaker& m) {
             return m.step("Conv", {"picture", m.numbers("w", {3, 3})});
         }},
        {"not ours: output_shape", 1,
         [](OnnxMaker& m) {
             return m.step("ConvTranspose", {"picture", m.numbers("w", {1, 1, 2, 2})}, {{"output_shape", {8, 8}}});
         }},
        {"are cut short", 1,
         [](OnnxMaker& m) {
             m.numbers("w", {2, 1, 1, 1}, std::vector{1.f});
             return m.step("Conv", {"picture", "w"});
         }},
        {"not ours: slopes that are no constant", 1,
         [](OnnxMaker& m) {
             return m.step("PRelu", {"picture", "picture"});
         }},
        {"not ours: a constant that is neither one number nor one a channel", 2,
         [](OnnxMaker& m) {
             return m.step("Add", {"picture", m.numbers("k", {1, 1, 4, 4})});
         }},
        {"not ours: whole numbers beside a picture", 1,
         [](OnnxMaker& m) {
             return m.step("Add", {"picture", m.whole("k", {1})});
         }},
        {"not ours: pictures of different numbers of channels", 1,
         [](OnnxMaker& m) {
             return m.step("Add", {"picture", m.conv("picture", 1, 2, "a")});
         }},
        {"not ours: arithmetic of constants", 1,
         [](OnnxMaker& m) {
             return m.step("Add", {m.numbers("a", {2}), m.numbers("b", {3})});
         }},
        {"not ours: a bound that is no constant", 1,
         [](OnnxMaker& m) {
             return m.step("Clip", {"picture", "picture"});
         }},
        {"not ours: joining along another axis", 1,
         [](OnnxMaker& m) {
             return m.step("Concat", {"picture", "picture"}, {{"axis", {2}}});
         }},
        {"absurd number of channels in Concat", 64,
         [](OnnxMaker& m) {
             std::string a = m.step("Concat", {"picture", "picture", "picture", "picture"}, {{"axis", {1}}});
             for (int k = 0; k < 6; ++k) a = m.step("Concat", {a, a}, {{"axis", {1}}});
             return a;
         }},
        {"not ours: cutting along other axes", 2,
         [](OnnxMaker& m) {
             return m.step("Slice", {"picture", m.whole("s", {0}), m.whole("e", {1}), m.whole("x", {2})});
         }},
        {"takes channels that are not there", 2,
         [](OnnxMaker& m) {
             return m.step("Slice", {"picture", m.whole("s", {1}), m.whole("e", {1}), m.whole("x", {1})});
         }},
        {"not ours: splitting along another axis", 2,
         [](OnnxMaker& m) {
             return m.step("Split", {"picture"}, {{"axis", {3}}});
         }},
        {"uneven parts in Split", 3,
         [](OnnxMaker& m) {
             m.step("Split", {"picture"}, {{"axis", {1}}}, {}, {}, "a");
             m.model().mutable_graph()->mutable_node(0)->add_output("b");
             return std::string("a");
         }},
        {"parts do not fit in Split", 3,
         [](OnnxMaker& m) {
             return m.step("Split", {"picture", m.whole("p", {1, 2})}, {{"axis", {1}}});
         }},
        {"channels do not fit the block size", 3,
         [](OnnxMaker& m) {
             return m.step("DepthToSpace", {"picture"}, {{"blocksize", {2}}});
         }},
        {"absurd factor in Resize", 1,
         [&](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", four(m, "f", {1, 1, 1000, 1000})});
         }},
        {"not ours: scaling of channels", 1,
         [&](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", four(m, "f", {1, 2, 2, 2})});
         }},
        {"not ours: a size that is not given as four factors", 1,
         [](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", m.numbers("f", {2}, std::vector{2.f, 2.f})});
         }},
        {"not ours: coordinates tf_crop_and_resize", 1,
         [&](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", four(m, "f", {1, 1, 2, 2})}, {}, {},
                           {{"coordinate_transformation_mode", "tf_crop_and_resize"}});
         }},
        {"not ours: rounding ceil", 1,
         [&](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", four(m, "f", {1, 1, 2, 2})}, {}, {}, {{"nearest_mode", "ceil"}});
         }},
        {"not ours: exclude_outside", 1,
         [&](OnnxMaker& m) {
             return m.step("Resize", {"picture", "", four(m, "f", {1, 1, 2, 2})}, {{"exclude_outside", {1}}});
         }},
        {"not ours: padding of other than four axes", 1,
         [](OnnxMaker& m) {
             return m.step("Pad", {"picture", m.whole("p", {1, 1})});
         }},
        {"not ours: padding of channels", 1,
         [](OnnxMaker& m) {
             return m.step("Pad", {"picture", m.whole("p", {0, 1, 0, 0, 0, 0, 0, 0})});
         }},
        {"absurd padding in Pad", 1,
         [](OnnxMaker& m) {
             return m.step("Pad", {"picture", m.whole("p", {0, 0, -3, 0, 0, 0, 0, 0})});
         }},
        {"not ours: padding with a value", 1,
         [](OnnxMaker& m) {
             return m.step("Pad",
                           {"picture", m.whole("p", {0, 0, 1, 1, 0, 0, 1, 1}), m.numbers("v", {1}, std::vector{0.5f})});
         }},
        {"not ours: a constant of another kind", 1,
         [](OnnxMaker& m) {
             m.step("Constant", {}, {}, {}, {}, "k");
             attribute(m, "value_string", onnx::AttributeProto::STRING)->set_s("words");
             return m.step("Add", {"picture", "k"});
         }},
        {"not ours: an operator of com.example", 1,
         [](OnnxMaker& m) {
             const auto out = m.step("Relu", {"picture"});
             m.model().mutable_graph()->mutable_node(0)->set_domain("com.example");
             return out;
         }},
        {"makes nothing", 1,
         [](OnnxMaker& m) {
             m.step("Relu", {"picture"}, {}, {}, {}, "a");
             m.model().mutable_graph()->mutable_node(0)->clear_output();
             return std::string("a");
         }},
        {"two steps make \"a\"", 1,
         [](OnnxMaker& m) {
             m.step("Relu", {"picture"}, {}, {}, {}, "a");
             return m.step("Relu", {"picture"}, {}, {}, {}, "a");
         }},
        {"nothing makes its result \"nobody\"", 1,
         [](OnnxMaker& m) {
             m.step("Relu", {"picture"});
             return std::string("nobody");
         }},
        {"asks for more than one input", 1,
         [](OnnxMaker& m) {
             auto* second = m.model().mutable_graph()->add_input();
             *second = m.model().graph().input(0);
             second->set_name("other");
             return m.step("Add", {"picture", "other"});
         }},
        {"it has no input", 1,
         [](OnnxMaker& m) {
             m.model().mutable_graph()->clear_input();
             return m.step("Relu", {"picture"});
         }},
        {"its input is not a picture", 1,
         [](OnnxMaker& m) {
             auto* shape =
                 m.model().mutable_graph()->mutable_input(0)->mutable_type()->mutable_tensor_type()->mutable_shape();
             shape->mutable_dim()->RemoveLast();
             return m.step("Relu", {"picture"});
         }},
        {"its input is a batch of pictures", 1,
         [](OnnxMaker& m) {
             auto* shape =
                 m.model().mutable_graph()->mutable_input(0)->mutable_type()->mutable_tensor_type()->mutable_shape();
             shape->mutable_dim(0)->set_dim_value(8);
             return m.step("Relu", {"picture"});
         }},
        {"lie in another file", 1,
         [](OnnxMaker& m) {
             m.numbers("w", {1, 1, 1, 1});
             m.model().mutable_graph()->mutable_initializer(0)->set_data_location(onnx::TensorProto::EXTERNAL);
             return m.step("Conv", {"picture", "w"});
         }},
    };
    for (const Misuse& k : all) {
        const std::string told = said(file(k.channels, k.build));
        INFO("expected: " << k.said << "\nsaid: " << told);
        CHECK(told.find(k.said) != std::string::npos);
    }
}

TEST_CASE("networks that treat rows and columns unlike, align corners, or look too far are refused by our runner") {
    const auto reason = [](const Build& build) {
        try {
            const auto net = Network::fromBytes(asBytes(file(1, build)), "net.onnx");
            return std::string(net->isFast() ? "accepted" : "OpenCV's");
        } catch (const Error& e) {
            return e.reason;
        }
    };
    CHECK(reason([](OnnxMaker& m) {
              return m.step("Conv", {"picture", m.numbers("w", {1, 1, 3, 3})},
                            {{"strides", {1, 2}}, {"pads", {1, 1, 1, 1}}});
          }).find("treats rows and columns unlike") != std::string::npos);
    CHECK(reason([](OnnxMaker& m) {
              return m.step("Resize", {"picture", "", m.numbers("f", {4}, std::vector{1.f, 1.f, 2.f, 2.f})}, {}, {},
                            {{"mode", "linear"}, {"coordinate_transformation_mode", "align_corners"}});
          }).find("aligns corners") != std::string::npos);
    CHECK(reason([](OnnxMaker& m) {
              std::string a = "picture";
              for (int k = 0; k < 20; ++k)
                  a = m.step("Conv", {a, m.numbers("w" + std::to_string(k), {1, 1, 3, 3})},
                             {{"dilations", {64, 64}}, {"pads", {64, 64, 64, 64}}});
              return a;
          }).find("pixels far") != std::string::npos);
    CHECK(reason([](OnnxMaker& m) { // an even kernel without padding: half a pixel off
              return m.step("Conv", {"picture", m.numbers("w", {1, 1, 2, 2})});
          })
              .find("between pixels") != std::string::npos);
    CHECK(reason([](OnnxMaker& m) { // more pixels than pixels in
              return m.step("Conv", {"picture", m.numbers("w", {1, 1, 1, 1})}, {{"pads", {4, 4, 4, 4}}});
          })
              .find("more pixels than its scale says") != std::string::npos);
    // What looks at the whole picture cannot run on tiles: OpenCV's may, with a margin.
    CHECK(reason([](OnnxMaker& m) {
              return m.step("Mul", {"picture", m.step("GlobalAveragePool", {"picture"})});
          }) == "OpenCV's");
}
