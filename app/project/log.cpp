#include "app/project/log.h"

#include "core/engine/work_plan.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QSysInfo>
#include <mutex>
#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>

namespace ulm::app {
namespace {

constexpr std::size_t kMostBytes = 512 * 1024;
constexpr int kLastLines = 40;

std::mutex mutex;
std::shared_ptr<spdlog::logger> log_;
QString file_;

void write(spdlog::level::level_enum level, const QString& what) {
    std::lock_guard lock(mutex);
    if (log_) log_->log(level, what.toStdString());
}

} // namespace

void openLog(const QString& folder) {
    std::lock_guard lock(mutex);
    log_.reset();
    file_.clear();
    if (folder.isEmpty()) return;
    try {
        QDir().mkpath(folder);
        file_ = folder + "/log.txt";
        log_ = std::make_shared<spdlog::logger>(
            "ulmwood", std::make_shared<spdlog::sinks::rotating_file_sink_mt>(file_.toStdString(), kMostBytes, 1));
        log_->set_pattern("%Y-%m-%d %H:%M:%S.%e  %l  %v");
        log_->flush_on(spdlog::level::info);
        log_->set_error_handler([](const std::string&) {}); // a full disk is told where it matters
    } catch (const std::exception&) {
        log_.reset();
    }
}

void logLine(const QString& what) { write(spdlog::level::info, what); }
void logProblem(const QString& what) { write(spdlog::level::warn, what); }

QString errorDetails(const QString& words) {
    QString text = words + "\n\nUlmwood " + QCoreApplication::applicationVersion() + "\n" +
                   QSysInfo::prettyProductName() + ", kernel " + QSysInfo::kernelVersion() + ", Qt " + qVersion() +
                   QString(", %1 cores, %2 MB\n").arg(workPlan().cores).arg(workPlan().memory >> 20);
    std::lock_guard lock(mutex);
    QFile f(file_);
    if (file_.isEmpty() || !f.open(QIODevice::ReadOnly)) return text;
    f.seek(std::max<qint64>(0, f.size() - 16384));
    const QStringList lines = QString::fromUtf8(f.readAll()).split('\n', Qt::SkipEmptyParts);
    return text + "\n" + lines.mid(std::max<qsizetype>(0, lines.size() - kLastLines)).join('\n') + "\n";
}

} // namespace ulm::app
