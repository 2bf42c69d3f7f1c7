package level

import "unicode"

// longText is from how many characters a field holds a note, which may have lines.
const longText = 1000

// hiddenRune finds the first character of a text that does not show and could mislead
// whoever reads it: control characters, and those that turn the direction of writing
// (Unicode Standard Annex 9). Lines and tabs are allowed where lines is set.
func hiddenRune(s string, lines bool) (rune, bool) {
	for _, r := range s {
		switch {
		case lines && (r == '\n' || r == '\t' || r == '\r'):
		case unicode.IsControl(r), isBidirectional(r):
			return r, true
		}
	}
	return 0, false
}

// isBidirectional tells whether a character sets the direction of writing.
func isBidirectional(r rune) bool {
	return r == 0x061c || r == 0x200e || r == 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
}

// Visible is a text with every character that could mislead a terminal or its reader
// written out, such as \u202e. Lines and tabs stay.
func Visible(s string) string {
	if _, hidden := hiddenRune(s, true); !hidden {
		return s
	}
	var out []rune
	for _, r := range s {
		if _, hidden := hiddenRune(string(r), true); hidden {
			out = append(out, []rune(escaped(r))...)
			continue
		}
		out = append(out, r)
	}
	return string(out)
}

func escaped(r rune) string {
	const digits = "0123456789abcdef"
	return `\u` + string([]byte{digits[r>>12&15], digits[r>>8&15], digits[r>>4&15], digits[r&15]})
}
