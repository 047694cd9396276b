// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/notice_bar.h"
#include "app/widgets.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <algorithm>

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

bool NoticeBar::Matter::question() const {
  return std::any_of(choices.begin(), choices.end(), [](const Choice& c) { return bool(c.act); });
}

void NoticeBar::ask(const QString& key, const QString& text, std::vector<Choice> choices) {
  std::erase_if(m_waiting, [&](const Matter& m) { return m.key == key; });
  if (!m_now.key.isEmpty() && m_now.key != key && m_now.question()) m_waiting.push_back(std::move(m_now));
  m_now = {key, text, std::move(choices)};
  present();
}

void NoticeBar::present() {
  for (auto* b : m_buttons) {
    b->hide();
    b->deleteLater();
  }
  m_buttons.clear();
  m_text->setText(m_now.text);
  for (const auto& c : m_now.choices) {
    auto* b = linkButton(c.text);
    connect(b, &QToolButton::clicked, this, [this, key = m_now.key, act = c.act] {
      dismiss(key);
      if (act) act();
    });
    m_row->addWidget(b);
    m_buttons.push_back(b);
  }
  show();
}

void NoticeBar::dismiss(const QString& key) {
  std::erase_if(m_waiting, [&](const Matter& m) { return m.key == key; });
  if (key != m_now.key) return;
  m_now = {};
  if (m_waiting.empty()) return hide();
  m_now = std::move(m_waiting.back());
  m_waiting.pop_back();
  present();
}

} // namespace tess
