package outline

import "bytes"

// yamlTokens reads the rest of a line of YAML. Quotes and brackets count only at the start of a value or between
// brackets.
func (s *scanner) yamlTokens(c *cursor) {
	text := s.t.Bytes
	s.leaveFlow(c)
	begins := c.at == c.start // a value, or a key, may begin here
	key := int(s.nodes[c.i].column)
	keyed := !begins // key is the column of the key, or of the item, whose value may follow
	for c.at < c.end {
		b := text[c.at]
		flow := s.count[curly]+s.count[square] > 0
		spaced := c.alone || isSpace(s.prev(c))
		scalar := true // more of a plain scalar, or the beginning of one
		switch {
		case isSpace(b):
			c.at++
			continue
		case b == '#' && spaced:
			s.comment(c, c.end)
			return
		case begins && !flow && (b == '-' || b == '?') && spacedAt(text[:c.end], c.at+1):
			key, scalar = c.at-c.start, false
			c.at++
		case begins && !flow && (b == '|' || b == '>'):
			s.blockScalar(c, key)
			c.at, begins = c.at+1, false
		case (begins || flow) && (b == '{' || b == '['):
			s.push(openerOf[b], "", c)
			c.at, begins = c.at+1, true
		case flow && (b == '}' || b == ']'):
			s.close(closerOf[b], "", c.i)
			c.at, begins = c.at+1, false
		case flow && b == ',':
			c.at, begins = c.at+1, true
		case begins && (b == '"' || b == '\''):
			if !keyed {
				key = c.at - c.start
			}
			if end, ok := s.yamlQuoteEnd(c, key, flow); ok {
				s.string(c, end)
			} else {
				c.at++
			}
			begins = false
		case begins && (b == '&' || b == '!'):
			for c.at < c.end && !isSpace(text[c.at]) {
				c.at++
			}
			scalar = false
		case b == ':' && (spacedAt(text[:c.end], c.at+1) || flow):
			c.at, begins, keyed = c.at+1, true, true
		default:
			if begins && !keyed {
				key = c.at - c.start
			}
			c.at, begins = c.at+1, false
		}
		keyed = keyed || scalar
		c.alone = false
		if s.skip > c.at {
			c.at = min(s.skip, c.end)
		}
	}
}

// spacedAt reports whether text[at] is whitespace, or at is the text's end.
func spacedAt(text []byte, at int) bool { return at >= len(text) || isSpace(text[at]) }

// leaveFlow marks the open brackets as never closed if the line cannot be inside them: it is not indented deeper
// than the line of the first bracket, and does not begin with a closing one.
func (s *scanner) leaveFlow(c *cursor) {
	if len(s.open) == 0 || c.at != c.start {
		return
	}
	n, first := &s.nodes[c.i], &s.nodes[s.open[0].line]
	inside := bytes.TrimLeft(s.t.Bytes[c.start:c.end], " \t")
	head := bytes.TrimLeft(s.t.Content(int(s.open[0].line)), " \t")
	if n.column > first.column || bytes.IndexByte([]byte("]},#"), inside[0]) >= 0 || first.column == 0 && bytes.IndexByte([]byte("[{"), head[0]) >= 0 {
		return
	}
	for len(s.open) > 0 {
		s.drop()
	}
}

// yamlQuoteEnd returns the end of the quoted scalar at the cursor. Outside brackets its further lines are
// indented deeper than its key.
func (s *scanner) yamlQuoteEnd(c *cursor, key int, flow bool) (int, bool) {
	text := s.t.Bytes
	quote := text[c.at]
	for i := c.at + 1; i < len(text); i++ {
		switch {
		case text[i] == '\\' && quote == '"':
			i++
		case text[i] == quote && quote == '\'' && i+1 < len(text) && text[i+1] == quote:
			i++
		case text[i] == quote:
			return i + 1, true
		case text[i] == '\n' && !flow:
			line := text[i+1:]
			if n := bytes.IndexByte(line, '\n'); n >= 0 {
				line = line[:n]
			}
			if len(bytes.TrimSpace(line)) > 0 && Column(line) <= key && key > 0 || bytes.HasPrefix(line, []byte("---")) {
				return 0, false
			}
		}
	}
	return 0, false
}

// blockScalar marks the lines of the block scalar whose header is at the cursor, unless that is no
// header.
func (s *scanner) blockScalar(c *cursor, key int) {
	rest := s.t.Bytes[c.at+1 : c.end]
	rest = bytes.TrimLeft(rest, "0123456789+-")
	if behind := bytes.TrimLeft(rest, " \t"); len(behind) > 0 && (behind[0] != '#' || len(behind) == len(rest)) {
		return
	}
	for i := c.i + 1; i < s.t.Count(); i++ {
		line := s.t.Content(i)
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		if Column(line) <= key && !(key == 0 && s.isRootScalar(c)) {
			return
		}
		s.nodes[i].flags |= raw
	}
}

// isRootScalar reports whether the scalar at the cursor is a whole document.
func (s *scanner) isRootScalar(c *cursor) bool {
	before := bytes.TrimSpace(s.t.Bytes[c.start:c.at])
	return len(before) == 0 || string(before) == "---"
}
