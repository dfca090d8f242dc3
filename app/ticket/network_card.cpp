#include "app/ticket/network_card.h"

#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

namespace ulm::app {

bool askForCard(QWidget* parent, const QString& file, NetworkCard card) {
    QDialog dialog(parent);
    dialog.setObjectName("networkCard");
    dialog.setWindowTitle(QObject::tr("What the network does not say"));
    auto* form = new QFormLayout(&dialog);
    auto* told =
        new QLabel(QObject::tr("%1 does not say how it wants its colours. Most take red, green, blue from 0 to 1. "
                               "If the result looks odd, choose again.")
                       .arg(file.section('/', -1)));
    told->setWordWrap(true);
    form->addRow(told);
    auto* order = new QComboBox;
    order->setObjectName("card.order");
    order->addItems({QObject::tr("red, green, blue"), QObject::tr("blue, green, red")});
    order->setCurrentIndex(card.bgr);
    auto* range = new QComboBox;
    range->setObjectName("card.range");
    range->addItems({QObject::tr("0 to 1"), QObject::tr("0 to 255")});
    range->setCurrentIndex(card.range == 255);
    auto* licence = new QLineEdit(QString::fromStdString(card.licence));
    licence->setObjectName("card.licence");
    form->addRow(QObject::tr("Channels"), order);
    form->addRow(QObject::tr("Values"), range);
    form->addRow(QObject::tr("Licence, if known"), licence);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    buttons->button(QDialogButtonBox::Ok)->setText(QObject::tr("Use it"));
    form->addRow(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    if (dialog.exec() != QDialog::Accepted) return false;
    card.bgr = order->currentIndex() == 1;
    card.range = range->currentIndex() == 1 ? 255 : 1;
    card.licence = licence->text().toStdString();
    writeCard(file.toStdString(), card);
    return true;
}

} // namespace ulm::app
