import { expose } from 'comlink';
import { blurWork } from './blur-work';

expose(blurWork);
