#include "app/shelf/clip_shelf.h"

#include "app/shelf/facts_sheet.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>
#include <map>

namespace ulm::app {
namespace {

constexpr int kCard = 166, kStep = kCard + 6;

// A finding in a word or two: a card has room for no more.
QString inShort(const Finding& f, const Inspection& i) {
    static const std::map<std::string, QString> words = {{"noise_sigma_dark", ClipCard::tr("noisy darks")},
                                                         {"noise_sigma_chroma", ClipCard::tr("colour noise")},
                                                         {"ringing", ClipCard::tr("ringing")},
                                                         {"haloes", ClipCard::tr("haloes")},
                                                         {"stairs", ClipCard::tr("stair-steps")},
                                                         {"banding", ClipCard::tr("banding")},
                                                         {"crushed", ClipCard::tr("crushed")},
                                                         {"clipped", ClipCard::tr("clipped")},
                                                         {"cast", ClipCard::tr("tinted")},
                                                         {"combing", ClipCard::tr("interlaced")},
                                                         {"interlace", ClipCard::tr("interlaced")},
                                                         {"compression", ClipCard::tr("compressed")},
                                                         {"detail", ClipCard::tr("enlarged")},
                                                         {"gaps", ClipCard::tr("gaps")},
                                                         {"timing", ClipCard::tr("uneven")},
                                                         {"jumps", ClipCard::tr("jumps")},
                                                         {"judder", ClipCard::tr("judder")},
                                                         {"shake", ClipCard::tr("shaky")},
                                                         {"bars", ClipCard::tr("black bars")},
                                                         {"overlay", ClipCard::tr("overlaid")},
                                                         {"lost", ClipCard::tr("damaged")},
                                                         {"sound_clipping", ClipCard::tr("distorted")},
                                                         {"sound_silent", ClipCard::tr("silent")},
                                                         {"sound_peak", ClipCard::tr("sound peaks")},
                                                         {"sound_noise", ClipCard::tr("noisy sound")}};
    if (f.key == "blocking") return ClipCard::tr("blocky %1").arg(std::lround(i.readings.blocking));
    if (f.key == "noise_sigma") return ClipCard::tr("noisy %1").arg(i.readings.noise, 0, 'f', 1);
    if (f.key == "softness_px") return ClipCard::tr("soft %1 px").arg(i.readings.softness, 0, 'f', 1);
    if (f.key == "duplicates") return ClipCard::tr("%1 repeats").arg(i.duplicates.size());
    if (f.key == "sound_loudness") return i.sound.loudness < -14 ? ClipCard::tr("quiet") : ClipCard::tr("loud");
    const auto it = words.find(f.key);
    return it != words.end() ? it->second : QString::fromStdString(f.what).toLower();
}

// The most telling finding, and how many more there are.
QString finding(const ClipEntry& c) {
    if (!c.problem.isEmpty()) return ClipCard::tr("cannot be opened");
    if (!c.clip) return ClipCard::tr("opening…");
    if (!c.notInspected.isEmpty()) return ClipCard::tr("not looked over");
    if (!c.inspection)
        return c.inspecting > 0 ? ClipCard::tr("looking %1 %").arg(std::lround(c.inspecting * 100))
                                : ClipCard::tr("waiting");
    const auto all = findings(*c.inspection, c.clip->facts());
    const auto counts = [](const Finding& f) { return f.severity >= 1; };
    const auto worst = std::ranges::find_if(all, counts);
    if (worst == all.end()) return ClipCard::tr("clean");
    const auto more = std::ranges::count_if(worst + 1, all.end(), counts);
    return inShort(*worst, *c.inspection) + (more ? QString(" +%1").arg(more) : QString());
}

QString clipsInWords(const std::vector<int>& clips) {
    return clips.size() == 1 ? ClipShelf::tr("this clip") : ClipShelf::tr("%1 clips").arg(clips.size());
}

double worstSeverity(const ClipEntry& c) {
    if (!c.inspection || !c.clip) return 0;
    const auto all = findings(*c.inspection, c.clip->facts());
    return all.empty() ? 0 : all.front().severity;
}

} // namespace

ClipCard::ClipCard(int index, Project& project, QWidget* parent) : QWidget(parent), index_(index), project_(project) {
    setObjectName(QString("clip.%1").arg(project.at(index).name()));
    setAccessibleName(project.at(index).name());
    setFixedSize(kCard, 48);
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::TabFocus);
    setToolTip(onTip(project.at(index).path) +
               tr("Ctrl+click marks it; right-click: what is done with all that are marked."));
}

void ClipCard::paintEvent(QPaintEvent*) {
    if (index_ >= project_.count()) return;
    const Theme& t = Theme::now();
    const ClipEntry& c = project_.at(index_);
    const bool current = index_ == project_.current();
    QPainter p(this);
    if (current) {
        p.fillRect(rect(), t.paper);
        p.fillRect(QRect(0, height() - 3, width(), 3), t.elm);
    }
    if (marked_) {
        p.setPen(QPen(t.ink, 2));
        p.drawRect(rect().adjusted(1, 1, -1, -1));
    }
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    const QRect box(4, 4, 58, 38);
    p.fillRect(box, t.surround);
    if (!c.thumbnail.isNull()) {
        const QImage s = c.thumbnail.scaled(box.size() * devicePixelRatioF(), Qt::KeepAspectRatioByExpanding,
                                            Qt::SmoothTransformation);
        const QSize cut = box.size() * devicePixelRatioF();
        p.drawImage(box, s,
                    QRect((s.width() - cut.width()) / 2, (s.height() - cut.height()) / 2, cut.width(), cut.height()));
    }
    // The fit: a dot for fits, a triangle for over, as on the targets' chips.
    QString badge = c.fit > 0 ? "●" : c.fit < 0 ? "▲" : "";
    int right = width() - 4;
    p.setFont(words(9));
    if (!badge.isEmpty()) {
        p.setPen(c.fit > 0 ? t.elm : t.emberInk);
        p.drawText(QRect(right - 14, 5, 12, 18), Qt::AlignCenter, badge);
        right -= 16;
    }
    p.setPen(t.ink);
    p.setFont(words(9, true));
    p.drawText(QRect(70, 5, right - 70, 18), Qt::AlignVCenter,
               p.fontMetrics().elidedText(project_.nameOf(index_), Qt::ElideMiddle, right - 70));
    p.setFont(words(8));
    p.drawText(QRect(70, 23, width() - 72, 16), Qt::AlignVCenter,
               p.fontMetrics().elidedText(told(), Qt::ElideRight, width() - 74));
}

QString ClipCard::told() const {
    const ClipEntry& c = project_.at(index_);
    const QString seconds = c.clip ? QString("%1 s · ").arg(c.clip->facts().duration, 0, 'f', 0) : QString();
    return seconds + finding(c);
}

void ClipCard::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (e->modifiers() & Qt::ControlModifier) {
        setMarked(!marked_);
        return Q_EMIT markToggled();
    }
    project_.setCurrent(index_);
}

void ClipCard::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Space && (e->modifiers() & Qt::ControlModifier)) {
        setMarked(!marked_);
        Q_EMIT markToggled();
    } else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space)
        project_.setCurrent(index_);
    else if (e->key() == Qt::Key_Delete)
        project_.takeOff({index_});
    else
        QWidget::keyPressEvent(e);
}

void ClipCard::contextMenuEvent(QContextMenuEvent* e) { Q_EMIT menuWanted(e->globalPos()); }

ClipShelf::ClipShelf(Project& project, QWidget* parent) : QWidget(parent), project_(project) {
    setObjectName("clipShelf");
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 4, 14, 4);
    column->setSpacing(4);
    auto* strip = new QWidget;
    strip->setFixedHeight(50);
    auto* all = new QHBoxLayout(strip);
    all->setContentsMargins(0, 0, 0, 0);
    column->addWidget(strip);
    scroll_ = new QScrollArea;
    scroll_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setWidgetResizable(true);
    row_ = new QWidget;
    cards_ = new QHBoxLayout(row_);
    cards_->setContentsMargins(0, 0, 0, 0);
    cards_->setSpacing(6);
    cards_->setAlignment(Qt::AlignLeft);
    scroll_->setWidget(row_);
    all->addWidget(scroll_, 1);
    menu_ = new QToolButton;
    menu_->setObjectName("shelfMenu");
    menu_->setToolTip(tr("Sort and filter the clips, or see them side by side"));
    connect(menu_, &QToolButton::clicked, this, &ClipShelf::openMenu);
    all->addWidget(menu_);
    auto* add = new QPushButton(tr("Add clips"));
    add->setObjectName("addClips");
    add->setToolTip(tr("Choose clips (Ctrl+O), or drop them anywhere"));
    connect(add, &QPushButton::clicked, this, &ClipShelf::filesWanted);
    all->addWidget(add);
    connect(&project_, &Project::shelfChanged, this, &ClipShelf::refresh);
    connect(&project_, &Project::currentChanged, this, &ClipShelf::refresh);
    connect(&project_, &Project::inspectionChanged, this, [this](int i) {
        // Only what ends an inspection can change the order; while it runs, the cards only tell how far it is.
        if (i >= 0 && i < project_.count() && project_.at(i).inspection &&
            (order_ == Order::Worst || only_ != Only::All))
            refresh();
        row_->update();
    });
    refresh();
}

void ClipShelf::showFacts(bool on) {
    if (on == (facts_ != nullptr)) return;
    delete facts_;
    facts_ = on ? new FactsSheet(project_) : nullptr;
    if (facts_) layout()->addWidget(facts_);
}

void ClipShelf::setOrder(Order order) {
    order_ = order;
    refresh();
}

void ClipShelf::setOnly(Only only) {
    only_ = only;
    refresh();
}

bool ClipShelf::passes(const ClipEntry& c) const {
    const Readings r = c.readings();
    switch (only_) {
    case Only::Found: return worstSeverity(c) >= 1;
    case Only::Blocky: return r.blocking >= findReading("blocking")->notable;
    case Only::Noisy: return r.noise >= findReading("noise_sigma")->notable;
    case Only::Soft: return r.softness >= findReading("softness_px")->notable;
    case Only::Repeats:
        return c.inspection && double(c.inspection->duplicates.size()) > 0.02 * double(c.inspection->framesLooked);
    case Only::Over: return c.fit < 0;
    case Only::All: break;
    }
    return true;
}

std::vector<int> ClipShelf::shown() const {
    std::vector<int> all;
    for (int i = 0; i < project_.count(); ++i)
        if (passes(project_.at(i)) || i == project_.current()) all.push_back(i); // the clip at work never vanishes
    const auto by = [&](const auto& key) { std::ranges::stable_sort(all, std::less{}, key); };
    const auto facts = [&](int i, const auto& get) {
        return project_.at(i).clip ? -double(get(project_.at(i).clip->facts())) : 0.0;
    };
    switch (order_) {
    case Order::Name: by([&](int i) { return project_.at(i).name().toLower(); }); break;
    case Order::Worst: by([&](int i) { return -worstSeverity(project_.at(i)); }); break;
    case Order::Longest: by([&](int i) { return facts(i, [](const MediaFacts& f) { return f.duration; }); }); break;
    case Order::Largest: by([&](int i) { return facts(i, [](const MediaFacts& f) { return f.bytes; }); }); break;
    case Order::AsAdded: break;
    }
    return all;
}

std::vector<int> ClipShelf::marked() const {
    std::vector<int> all;
    for (const auto* card : row_->findChildren<ClipCard*>())
        if (card->marked() && card->index() < project_.count()) all.push_back(card->index());
    return all;
}

void ClipShelf::openMenu() {
    QMenu menu(this);
    const auto entry = [&](QMenu* to, const QString& name, bool on, auto what) {
        QAction* a = to->addAction(name, this, what);
        a->setCheckable(true);
        a->setChecked(on);
    };
    QMenu* sort = menu.addMenu(tr("Sort"));
    for (const auto& [name, order] : {std::pair{tr("As added"), Order::AsAdded},
                                      {tr("By name"), Order::Name},
                                      {tr("Worst first"), Order::Worst},
                                      {tr("Longest first"), Order::Longest},
                                      {tr("Largest file first"), Order::Largest}})
        entry(sort, name, order_ == order, [this, order = order] { setOrder(order); });
    QMenu* show = menu.addMenu(tr("Show only"));
    for (const auto& [name, only] : {std::pair{tr("All clips"), Only::All},
                                     {tr("With findings"), Only::Found},
                                     {tr("Blocky"), Only::Blocky},
                                     {tr("Noisy"), Only::Noisy},
                                     {tr("Soft"), Only::Soft},
                                     {tr("With repeated frames"), Only::Repeats},
                                     {tr("Over a limit"), Only::Over}})
        entry(show, name, only_ == only, [this, only = only] { setOnly(only); });
    entry(&menu, tr("All clips as a table"), facts_ != nullptr, [this] { showFacts(!facts_); });
    menu.addSeparator();
    const bool some = !marked().empty();
    menu.addAction(some ? tr("Mark none") : tr("Mark all"), this, [this, some] { markAll(!some); });
    addCommands(menu, some ? marked() : shown());
    if (some) addRemoval(menu, marked());
    addReturn(menu);
    menu.exec(menu_->mapToGlobal(QPoint(0, menu_->height())));
}

void ClipShelf::markAll(bool on) {
    for (auto* card : row_->findChildren<ClipCard*>()) card->setMarked(on);
}

// What is done with several clips at once; each takes its own advice.
void ClipShelf::addCommands(QMenu& menu, const std::vector<int>& clips) {
    const auto any = [&](auto f) { return std::ranges::any_of(clips, [&](int i) { return f(project_.at(i)); }); };
    const QString many = clipsInWords(clips);
    menu.addAction(clips.size() == 1 ? tr("Put advice on its ticket") : tr("Put advice on the tickets of %1").arg(many),
                   this, [=, this] { putAdvice(clips); })
        ->setEnabled(any([](const ClipEntry& c) { return !advisedSettings(c).empty(); }));
    menu.addAction(tr("Add %1 to run list").arg(many), this, [=, this] { Q_EMIT runsWanted(clips); })
        ->setEnabled(any([](const ClipEntry& c) { return c.clip != nullptr; }));
}

void ClipShelf::addRemoval(QMenu& menu, const std::vector<int>& clips) {
    menu.addAction(tr("Take %1 off the shelf").arg(clipsInWords(clips)), this, [=, this] { project_.takeOff(clips); });
}

void ClipShelf::addReturn(QMenu& menu) {
    const QStringList off = project_.takenOff();
    if (off.isEmpty()) return;
    menu.addAction(tr("Bring %1 back").arg(off.size() == 1 ? onButton(off.first()) : tr("%1 clips").arg(off.size())),
                   this, [this] { project_.bringClipsBack(); });
}

void ClipShelf::putAdvice(const std::vector<int>& clips) {
    for (const int i : clips) project_.setOn({i}, advisedSettings(project_.at(i)));
}

void ClipShelf::cardMenu(ClipCard* card, const QPoint& at) {
    QMenu menu(this);
    std::vector<int> to = marked();
    if (std::ranges::find(to, card->index()) == to.end()) to = {card->index()};
    const std::vector<int> clips = to;
    std::erase(to, project_.current());
    const ClipEntry* from = project_.currentClip();
    const QString many = to.empty() ? tr("this clip") : clipsInWords(to);
    QMenu* copy = menu.addMenu(from ? tr("Copy from %1 to %2").arg(onButton(from->name()), many) : tr("Copy"));
    copy->setEnabled(from && !to.empty());
    copy->addAction(tr("The whole ticket"), this, [=, this] { project_.copyTicketTo(to, ""); });
    for (const auto& [key, name] : stepNames())
        copy->addAction(tr("Only %1").arg(name), this, [=, this, key = key] { project_.copyTicketTo(to, key); });
    menu.addSeparator();
    addCommands(menu, clips);
    addRemoval(menu, clips);
    menu.exec(at);
}

void ClipShelf::refresh() {
    const auto indices = shown();
    QStringList paths;
    for (const int i : indices) paths << QString("%1|").arg(i) + project_.at(i).path;
    if (paths != paths_) { // else only what they show has changed
        paths_ = paths;
        while (QLayoutItem* item = cards_->takeAt(0)) {
            item->widget()->setObjectName({});
            item->widget()->hide();
            item->widget()->setParent(nullptr);
            item->widget()->deleteLater(); // one of them may be handling the click that led here
            delete item;
        }
        for (const int i : indices) {
            auto* card = new ClipCard(i, project_);
            connect(card, &ClipCard::menuWanted, this, [this, card](const QPoint& at) { cardMenu(card, at); });
            cards_->addWidget(card);
        }
    }
    for (auto* card : row_->findChildren<ClipCard*>()) card->update();
    row_->setMinimumWidth(static_cast<int>(indices.size()) * kStep);
    const int hidden = project_.count() - static_cast<int>(indices.size());
    menu_->setText(hidden ? tr("%1 of %2 ▾").arg(indices.size()).arg(project_.count())
                          : counted(std::size_t(project_.count()), tr("1 clip ▾"), tr("%1 clips ▾")));
    menu_->setVisible(project_.count() > 0 || !project_.takenOff().isEmpty());
    if (project_.current() >= 0 && current_ != project_.current()) {
        current_ = project_.current();
        const auto at = std::ranges::find(indices, current_) - indices.begin();
        scroll_->ensureVisible(static_cast<int>(at) * kStep + kCard / 2, 20, 100, 0);
    }
}

} // namespace ulm::app
