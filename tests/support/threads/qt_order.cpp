// For builds with thread checks. Debian's Qt is not built with them: what one thread hands to another through Qt's
// queues would seem to be read without order. The two ways in which the window does that are wrapped here, so that the
// order that they make is seen.
#include <QCoreApplication>
#include <QEvent>
#include <QObject>
#include <QThreadPool>
#include <dlfcn.h>

extern "C" void __tsan_acquire(void*);
extern "C" void __tsan_release(void*);

namespace {

char handedOver; // one place for all: whoever takes anything over sees what was done before anything was handed over

template <class Function>
Function* real(const char* name) {
    return reinterpret_cast<Function*>(dlsym(RTLD_NEXT, name));
}

class TakesOver : public QObject {
    bool eventFilter(QObject*, QEvent* e) override {
        if (e->type() == QEvent::MetaCall) __tsan_acquire(&handedOver);
        return false;
    }
};

void watch() {
    auto* const watcher = new TakesOver;
    watcher->setParent(QCoreApplication::instance());
    QCoreApplication::instance()->installEventFilter(watcher);
}
Q_COREAPP_STARTUP_FUNCTION(watch)

} // namespace

bool QMetaObject::invokeMethodImpl(QObject* object, QtPrivate::QSlotObjectBase* slot, Qt::ConnectionType type,
                                   void* result) {
    static auto* const theirs = real<bool(QObject*, QtPrivate::QSlotObjectBase*, Qt::ConnectionType, void*)>(
        "_ZN11QMetaObject16invokeMethodImplEP7QObjectPN9QtPrivate15QSlotObjectBaseEN2Qt14ConnectionTypeEPv");
    __tsan_release(&handedOver);
    return theirs(object, slot, type, result);
}

void QThreadPool::start(std::function<void()> work, int priority) {
    static auto* const theirs =
        real<void(QThreadPool*, std::function<void()>, int)>("_ZN11QThreadPool5startESt8functionIFvvEEi");
    std::function<void()> ordered = [work = std::move(work)] {
        __tsan_acquire(&handedOver);
        work();
        __tsan_release(&handedOver);
    };
    __tsan_release(&handedOver);
    theirs(this, std::move(ordered), priority);
}

bool QThreadPool::waitForDone(int milliseconds) {
    static auto* const theirs = real<bool(QThreadPool*, int)>("_ZN11QThreadPool11waitForDoneEi");
    const bool done = theirs(this, milliseconds);
    __tsan_acquire(&handedOver);
    return done;
}
