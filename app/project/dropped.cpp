#include "app/project/dropped.h"

#include "core/base/json_file.h"
#include "core/finish/table_stage.h"
#include "core/target/own_target.h"

#include <QFileInfo>
#include <algorithm>

namespace ulm::app {

bool takeDropped(Project& project, const QString& path, const QStringList& along) {
    const std::string file = path.toStdString();
    const auto is = [&](const char* ending) { return path.endsWith(ending, Qt::CaseInsensitive); };
    const auto needClip = [&] {
        if (!project.currentClip())
            throw Error(Fault::Usage, file, "there is no clip that it could be put on", "Drop a clip first.");
    };
    if (is(".ticket.json")) {
        const QString clip = path.chopped(qsizetype(std::string_view(".ticket.json").size()));
        const auto isOfIt = [&](const QString& f) {
            return f != path && QFileInfo(f).path() + "/" + QFileInfo(f).completeBaseName() == clip;
        };
        if (std::ranges::any_of(along, isOfIt)) return true;
        needClip();
        project.change(loadTicket(file));
    } else if (is(".cube")) {
        needClip();
        readLookTable(file); // refused here rather than by all that shows it
        project.edit([&](Ticket& t) {
            setByKey(t, "finish.table", file);
            t.finish.on = true;
        });
    } else if (is(".onnx")) {
        throw Error(Fault::Usage, file, "a network is chosen in the step Enlarge",
                    "Open Enlarge, and choose “A network of your own…” there.");
    } else if (is(".json")) {
        Target card = targetFromJson(readJsonFile(file), file);
        card.file.clear();
        const std::string name = saveOwnTarget(card, project.targets()).name;
        project.reloadTargets();
        project.setWatched(name, true);
    } else
        return false;
    return true;
}

} // namespace ulm::app
