// Package architecture has no code but the test of the rules by which packages may import one another;
// docs/architecture.md shows them.
package architecture
