from octaplan.cli import main

main()
