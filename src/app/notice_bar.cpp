// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/notice_bar.h"
#include "app/widgets.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>

namespace tess {

NoticeBar::NoticeBar(QWidget* parent) : QFrame(parent) {
  setObjectName("notice");
  m_row = new QHBoxLayout(this);
  m_row->setContentsMargins(14, 5, 10, 5);
  m_row->setSpacing(10);
  m_row->addWidget(m_text = new QLabel);
  m_row->addStretch();
  hide();
}

QString NoticeBar::text() const { return m_text->text(); }

void NoticeBar::ask(const QString& key, const QString& text, std::vector<Choice> choices) {
  for (auto* b : m_buttons) {
    b->hide();
    b->deleteLater();
  }
  m_buttons.clear();
  m_key = key;
  m_text->setText(text);
  for (auto& c : choices) {
    auto* b = linkButton(c.text);
    connect(b, &QToolButton::clicked, this, [this, act = std::move(c.act)] {
      dismiss(m_key);
      if (act) act();
    });
    m_row->addWidget(b);
    m_buttons.push_back(b);
  }
  show();
}

void NoticeBar::dismiss(const QString& key) {
  if (key != m_key) return;
  m_key.clear();
  hide();
}

} // namespace tess
