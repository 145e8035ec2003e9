// Package crossbuild has no code but the test that the program compiles for the platforms that it is for.
package crossbuild
