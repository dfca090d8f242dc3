#include "cli/commands.h"
#include "core/deliver/output_file.h"
#include "core/judge/compare.h"

#include <iostream>
#include <sstream>

namespace ulm::cli {

void addMeasure(CLI::App& app, Action& action) {
    auto* c =
        app.add_subcommand("measure", "How close a clip is to its reference: PSNR and SSIM, frames paired in order");
    c->footer("Example:\n  ulmwood-cli measure master.mp4 result.mp4 --json\n"
              "Figures: 8-bit codes of limited range, peak 255, whole picture, luma unless it says otherwise.");
    struct Options {
        std::string reference, test, perFrame;
        bool json = false, replace = false;
        Notes notes;
    };
    auto o = std::make_shared<Options>();
    c->add_option("REFERENCE", o->reference, "Clip that is right")->required();
    c->add_option("TEST", o->test, "Clip to judge")->required();
    c->add_flag("--json", o->json, "One JSON object");
    c->add_option("--per-frame", o->perFrame, "Write a line a frame")->type_name("CSV");
    c->add_flag("--replace", o->replace, "Replace a table that exists");
    o->notes.addTo(*c);
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            std::optional<OutputFile> table;
            if (!o->perFrame.empty()) table.emplace(o->perFrame, o->replace, std::vector{o->reference, o->test});
            const Comparison m =
                compareClips(Clip::openVideo(o->reference, s.cancel), Clip::openVideo(o->test, s.cancel), s.cancel);
            if (table) {
                std::ostringstream csv;
                csv << "frame,psnr_y,ssim_y,psnr_yuv\n";
                for (std::size_t i = 0; i < m.frames.size(); ++i)
                    csv << i << ',' << m.frames[i].psnrY << ',' << m.frames[i].ssimY << ',' << m.frames[i].psnrYuv
                        << '\n';
                table->write(csv.str());
            }
            if (o->json)
                s.out << toJson(m).dump(2) << "\n";
            else {
                const auto y = m.psnrY(), q = m.ssimY(), a = m.psnrYuv();
                s.out << m.frames.size() << " frames\nPSNR-Y mean " << y.mean << " dB, worst " << y.min
                      << " dB\nSSIM-Y mean " << q.mean << ", worst " << q.min << "\nPSNR-YUV mean " << a.mean
                      << " dB, worst " << a.min << " dB\n";
            }
            if (m.referenceFrames != m.testFrames)
                o->notes.tell(s, "",
                              "the clips have " + std::to_string(m.referenceFrames) + " and " +
                                  std::to_string(m.testFrames) + " frames; only the first " +
                                  std::to_string(m.frames.size()) + " were compared");
            return 0;
        };
    });
}

} // namespace ulm::cli
