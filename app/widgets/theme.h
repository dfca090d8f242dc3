#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

class QApplication;

namespace ulm::app {

/// The colours of one of the two papers, day and night.
struct Theme {
    bool night = false;
    QColor chrome, chromeDeep, line;             ///< the frame around everything
    QColor paper, paperOpen, paperLine;          ///< the ticket's sheet
    QColor ink, faint;                           ///< words
    QColor elm, ember, emberInk, slate;          ///< on or fits; over or too much; measured
    QColor surround, surroundInk, surroundFaint; ///< about pictures: no hue

    static const Theme& now();
    static void use(QApplication&, bool night);
};

/// Loads the fonts that ship and sets the application's style. Call once.
void prepareLook(QApplication&, bool night);

QFont words(double points, bool bold = false);
QFont figures(double points); ///< digits of one width

/// An icon of ours in the given colour.
QIcon icon(const QString& name, const QColor& colour);
/// A text for buttons and menus, whose & is no shortcut: names of files and of destinations.
QString onButton(QString text);
/// The same for tips, which are read as HTML.
QString onTip(const QString& text);

} // namespace ulm::app
