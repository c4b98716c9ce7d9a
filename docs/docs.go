// Package docs holds the pages of the documentation, for those who have the program and
// nothing else.
package docs

import "embed"

// Pages are the pages, by their names.
//
//go:embed tutorial.md language.md reference.md commands.md cookbook.md documents.md fleet.md performance.md safety.md trust.md architecture.md events.schema.json
var Pages embed.FS
