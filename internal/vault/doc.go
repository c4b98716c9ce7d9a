// Package vault is four rooms: store keeps what is known of runs, transaction writes files
// all or none, history takes runs back, and hold those that nobody keeps.
//
// It holds no code of its own, only the tests of what the rooms promise together: a
// machine that goes down at any moment, over disks that forget what was not synced.
package vault
