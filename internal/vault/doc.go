// Package vault holds the tests of its four packages together: store (records of runs), transaction (writes
// files, all or none), history (undo and redo) and hold (runs that must be confirmed in time).
//
// The tests crash the machine at any moment, on disks that lose unsynced data.
package vault
