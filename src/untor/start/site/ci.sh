set -e
pip install -r requirements.txt
untor check
pytest
