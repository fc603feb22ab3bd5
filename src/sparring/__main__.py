from sparring.cli import main

main()
