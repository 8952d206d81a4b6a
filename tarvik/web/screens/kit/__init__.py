"""The group and its kit: people, sheets, poles, lines, stakes."""
