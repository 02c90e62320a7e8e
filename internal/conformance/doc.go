// Package conformance holds tests alone: browsers' own tests, recorded sites and questions, asked of every engine that
// is there.
package conformance
