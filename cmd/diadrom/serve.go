package main

import "github.com/spf13/cobra"

func serveCommand() *cobra.Command { return &cobra.Command{Use: "serve"} }
func demoCommand() *cobra.Command  { return &cobra.Command{Use: "demo"} }
